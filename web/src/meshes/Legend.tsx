import type { MeshFacts } from '../api/types'
import { RAMP, STAGE } from '../theme'
import type { MeshView } from './measures'
import { useDensities, usualOf } from './density'
import { readable } from '../words'

const STRIPED = `repeating-linear-gradient(45deg, ${STAGE.back} 0 4px, ${STAGE.backStripe} 4px 6px)`

/** What the colours on the mesh mean, in numbers. */
export function Legend({
  view,
  mesh,
  marked,
}: {
  view: MeshView
  mesh: MeshFacts
  marked: number
}) {
  const { usual, unit, repeats } = useDensities(mesh)
  const most = Math.max(1, ...mesh.slots.map(repeats))
  if (view === 'density')
    return (
      <Bar
        from={readable(usual / 4)}
        middle={`${readable(usual)} ${unit} is usual`}
        to={readable(usual * 4)}
        ramp={`${RAMP.low}, ${RAMP.middle}, ${RAMP.high}`}
      />
    )
  if (view === 'stretch')
    return <Bar from="1, none" middle="2" to="4 and more" ramp={`${RAMP.middle}, ${RAMP.high}`} />
  if (view === 'checker')
    return (
      <span className="legend mono">
        one square is {readable(10 / usualOf(mesh.slots, (slot) => slot.density))} cm where the
        density is usual
      </span>
    )
  if (view === 'repeats')
    return (
      <span className="legend mono">
        <Patch colour={RAMP.high} /> every 2nd copy
        {most > 1 ? ` · up to ${readable(most)}` : ' · none repeats'}
      </span>
    )
  if (view === 'backs')
    return (
      <span className="legend mono">
        <Patch colour={STRIPED} /> striped: seen from behind
      </span>
    )
  if (view === 'flipped')
    return (
      <span className="legend mono">
        <Patch colour={RAMP.high} /> UVs run the other way
      </span>
    )
  if (view === 'faults')
    return (
      <span className="legend mono">
        <Patch colour={RAMP.mark} /> {marked ? '△ faces with faults' : 'no fault has faces to show'}
      </span>
    )
  return null
}

const Patch = ({ colour }: { colour: string }) => (
  <span
    style={{
      display: 'inline-block',
      width: 10,
      height: 10,
      background: colour,
      border: '1px solid white',
      marginRight: 4,
    }}
  />
)

function Bar({
  from,
  middle,
  to,
  ramp,
}: {
  from: string
  middle: string
  to: string
  ramp: string
}) {
  return (
    <span className="legend mono">
      <span
        style={{
          display: 'block',
          height: 8,
          marginBottom: 3,
          background: `linear-gradient(to right, ${ramp})`,
        }}
      />
      <span className="row" style={{ justifyContent: 'space-between', gap: 14 }}>
        <span>{from}</span>
        <span>{middle}</span>
        <span>{to}</span>
      </span>
    </span>
  )
}
