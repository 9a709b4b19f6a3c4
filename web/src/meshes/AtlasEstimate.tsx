import { useAtlasEstimate } from '../api/queries'
import { bytes, count } from '../words'

type Weight = { files: number; texels: number; memory: number; compressed: number }

const weighs = (weight: Weight) =>
  `${count(weight.files, 'file')} · ${(weight.texels / 1e6).toFixed(1)} million texels · ${bytes(weight.compressed)} block-compressed, ${bytes(weight.memory)} without`

/** The sets of a mesh as they are against one set for all slots that is as sharp everywhere. */
export function AtlasEstimate({ mesh }: { mesh: string }) {
  const found = useAtlasEstimate(mesh).data
  if (!found) return null
  const { now, one, side, filled } = found
  const ratio = one.compressed / Math.max(1, now.compressed)
  return (
    <section style={{ padding: 14 }} aria-label="Sets or one set">
      <h2>
        {count(found.materials.length, 'set')} or one?{' '}
        <span className="small" style={{ fontWeight: 400 }}>
          for this target, at one texel density
        </span>
      </h2>
      <table className="grid">
        <tbody>
          <tr>
            <th scope="row" style={{ textAlign: 'left' }}>
              current
            </th>
            <td className="mono">{weighs(now)}</td>
          </tr>
          <tr>
            <th scope="row" style={{ textAlign: 'left' }}>
              one set, {side}²
            </th>
            <td className="mono">{weighs(one)}</td>
          </tr>
        </tbody>
      </table>
      <p className="small">
        One set takes {ratio < 1 ? `${Math.round(100 * ratio)} % of` : `${ratio.toFixed(1)} times`}{' '}
        the block-compressed memory, with {Math.round(100 * filled)} % of its area used and each
        repeat baked. It is one material instead of {found.materials.length}.
      </p>
    </section>
  )
}
