import { Box } from '@mui/material'
import type { MeshFacts } from '../api/types'
import { RAMP, STAGE } from '../theme'
import type { MeshView } from './measures'
import { useDensities, usualOf } from './density'
import { readable } from '../words'
import { labels } from '../words/meshes'

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
        middle={labels.isUsual(readable(usual), unit)}
        to={readable(usual * 4)}
        ramp={`${RAMP.low}, ${RAMP.middle}, ${RAMP.high}`}
      />
    )
  if (view === 'stretch')
    return (
      <Bar from={labels.oneNone} middle="2" to="4 and more" ramp={`${RAMP.middle}, ${RAMP.high}`} />
    )
  if (view === 'checker')
    return (
      <span className="legend mono">
        {labels.oneSquareIsCmWhereThe(readable(10 / usualOf(mesh.slots, (slot) => slot.density)))}
      </span>
    )
  if (view === 'repeats')
    return (
      <span className="legend mono">
        <Patch colour={RAMP.high} /> {labels.every2ndCopy}
        {most > 1 ? labels.upTo(readable(most)) : labels.noneRepeats}
      </span>
    )
  if (view === 'backs')
    return (
      <span className="legend mono">
        <Patch colour={STRIPED} /> {labels.stripedSeenFromBehind}
      </span>
    )
  if (view === 'flipped')
    return (
      <span className="legend mono">
        <Patch colour={RAMP.high} /> {labels.uvsRunTheOtherWay}
      </span>
    )
  if (view === 'faults')
    return (
      <span className="legend mono">
        <Patch colour={RAMP.mark} />{' '}
        {marked ? labels.facesWithFaults : labels.noFaultHasFacesToShow}
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
      <Box component="span" className="row" sx={{ justifyContent: 'space-between', gap: 1.75 }}>
        <span>{from}</span>
        <span>{middle}</span>
        <span>{to}</span>
      </Box>
    </span>
  )
}
