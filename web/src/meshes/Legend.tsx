import { styled } from '@mui/material/styles'
import { Box } from '@mui/material'
import type { MeshFacts } from '../api/types'
import { RAMP, STAGE } from '../theme'
import type { MeshView } from './measures'
import { useDensities, usualOf } from './density'
import { readable } from '../words'
import { labels } from '../words/meshes'

const LegendBox = styled('span')({
  position: 'absolute',
  right: 10,
  bottom: 44,
  padding: '5px 8px',
  borderRadius: 3,
  background: 'rgb(0 0 0 / 72%)',
  color: 'white',
  fontSize: 11,
})

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
      <LegendBox className="legend mono">
        {labels.oneSquareIsCmWhereThe(readable(10 / usualOf(mesh.slots, (slot) => slot.density)))}
      </LegendBox>
    )
  if (view === 'repeats')
    return (
      <LegendBox className="legend mono">
        <Patch colour={RAMP.high} /> {labels.every2ndCopy}
        {most > 1 ? labels.upTo(readable(most)) : labels.noneRepeats}
      </LegendBox>
    )
  if (view === 'backs')
    return (
      <LegendBox className="legend mono">
        <Patch colour={STRIPED} /> {labels.stripedSeenFromBehind}
      </LegendBox>
    )
  if (view === 'flipped')
    return (
      <LegendBox className="legend mono">
        <Patch colour={RAMP.high} /> {labels.uvsRunTheOtherWay}
      </LegendBox>
    )
  if (view === 'faults')
    return (
      <LegendBox className="legend mono">
        <Patch colour={RAMP.mark} />{' '}
        {marked ? labels.facesWithFaults : labels.noFaultHasFacesToShow}
      </LegendBox>
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
    <LegendBox className="legend mono">
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
    </LegendBox>
  )
}
