import { Box } from '@mui/material'
import { useAtlasEstimate } from '../api/queries'
import { bytes, count } from '../words'
import { labels } from '../words/meshes'

type Weight = { files: number; texels: number; memory: number; compressed: number }

const weighs = (weight: Weight) =>
  labels.millionTexelsBlockCompressedWithout(
    count(weight.files, 'file'),
    (weight.texels / 1e6).toFixed(1),
    bytes(weight.compressed),
    bytes(weight.memory),
  )

/** The sets of a mesh as they are against one set for all slots that is as sharp everywhere. */
export function AtlasEstimate({ mesh }: { mesh: string }) {
  const found = useAtlasEstimate(mesh).data
  if (!found) return null
  const { now, one, side, filled } = found
  const ratio = one.compressed / Math.max(1, now.compressed)
  return (
    <Box component="section" sx={{ padding: 1.75 }} aria-label={labels.setsOrOneSet}>
      <h2>
        {count(found.materials.length, 'set')} {labels.orOne}{' '}
        <Box component="span" className="small" sx={{ fontWeight: 400 }}>
          {labels.forThisTargetAtOneTexel}
        </Box>
      </h2>
      <table className="grid">
        <tbody>
          <tr>
            <Box component="th" scope="row" sx={{ textAlign: 'left' }}>
              {labels.current}
            </Box>
            <td className="mono">{weighs(now)}</td>
          </tr>
          <tr>
            <Box component="th" scope="row" sx={{ textAlign: 'left' }}>
              {labels.oneSet2(side)}
            </Box>
            <td className="mono">{weighs(one)}</td>
          </tr>
        </tbody>
      </table>
      <p className="small">
        {labels.oneSetTakesTheBlockCompressed(
          ratio < 1 ? labels.of(Math.round(100 * ratio)) : labels.times(ratio.toFixed(1)),
          Math.round(100 * filled),
          found.materials.length,
        )}
      </p>
    </Box>
  )
}
