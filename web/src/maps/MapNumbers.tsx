import { styled } from '@mui/material/styles'
import { Box } from '@mui/material'
import type { MapDetail } from '../api/types'
import { Histogram } from '../components/Histogram'
import { ROLE_WORDS, bytes, sizeWords } from '../words'
import { labels } from '../words/maps'

const Facts = styled('dl')({
  display: 'grid',
  gridTemplateColumns: 'auto 1fr auto 1fr',
  gap: '2px 14px',
  padding: '8px 14px',
  borderBottom: '1px solid var(--line)',
  margin: 0,
  '& dt': {
    color: 'var(--ink2)',
    fontSize: 11.5,
  },
  '& dd': {
    margin: 0,
    textAlign: 'right',
  },
})

const HistogramsBox = styled('div')({
  display: 'grid',
  gridAutoFlow: 'column',
  gridAutoColumns: '1fr',
  gap: 16,
  padding: '8px 14px',
  borderBottom: '1px solid var(--line)',
})

const swatch = (codes: number[]) =>
  `rgb(${codes.length >= 3 ? codes.slice(0, 3).join(' ') : `${codes[0]} ${codes[0]} ${codes[0]}`})`

/** The numbers of a map: histograms, sizes, and who uses it. */
export function MapNumbers({ detail }: { detail: MapDetail }) {
  const { map } = detail
  const seam = (value: number | null | undefined) => value != null && value < 2.5
  const repeats = [seam(detail.repeats_x) && 'x', seam(detail.repeats_y) && 'y']
    .filter(Boolean)
    .join(labels.and)
  return (
    <>
      <Histograms detail={detail} />
      <Facts>
        <dt>{labels.size}</dt>
        <dd className="mono">
          {map.width} × {map.height}
        </dd>
        <dt>{labels.depth}</dt>
        <dd className="mono">
          {labels.bitOf(map.bits, map.is_float ? 'float ' : '', map.channels)}
        </dd>
        <dt>{labels.onDisk}</dt>
        <dd className="mono">{bytes(map.bytes)}</dd>
        <dt title={labels.itsTexelsDecodedWithTheChannels}>{labels.asStored}</dt>
        <dd className="mono">{bytes(detail.stored)}</dd>
        <dt title={labels.uncompressedRgbTakesTheRoomOf}>{labels.inMostEngines}</dt>
        <dd className="mono">{bytes(detail.memory)}</dd>
        <dt>{labels.mostFrequent}</dt>
        <Box component="dd" className="mono row" sx={{ justifyContent: 'flex-end', gap: 0.75 }}>
          <span
            style={{
              width: 12,
              height: 12,
              border: '1px solid var(--strong)',
              background: swatch(detail.background_colour),
            }}
            aria-hidden
          />
          {detail.background_colour.slice(0, 3).join(' ')}
        </Box>
        <dt>{labels.over}</dt>
        <dd className="mono">
          {(100 * detail.background).toFixed(detail.background < 0.1 ? 1 : 0)} %
        </dd>
        <dt>{labels.repeats}</dt>
        <dd className="mono">{repeats ? labels.inOf(repeats) : labels.wordNo}</dd>
        <dt>{labels.usedBy}</dt>
        <dd className="mono ellipsis" title={map.used_by.join(', ')}>
          {map.used_by.length === 0
            ? labels.wordNothing
            : `${map.used_by[0]}${map.used_by.length > 1 ? ` +${map.used_by.length - 1}` : ''}`}
        </dd>
      </Facts>
      {detail.notes.length > 0 && (
        <Box
          component="p"
          className="small"
          sx={{ padding: '6px 14px', borderBottom: '1px solid var(--line)' }}
        >
          {sizeWords(map.width, map.height)} {detail.format}: {detail.notes.join('; ')}.
        </Box>
      )}
    </>
  )
}

/** A histogram a channel; one for all where they are equal. */
function Histograms({ detail }: { detail: MapDetail }) {
  const { map } = detail
  const shown =
    map.channels >= 3 &&
    detail.channels.slice(1, 3).every((c) => c.mean === detail.channels[0]?.mean)
      ? detail.channels.filter((c) => c.name === 'r' || c.name === 'a')
      : detail.channels
  const roleOf = (letter: string) => {
    const role = Object.entries(map.roles).find(([group]) => group.includes(letter))?.[1]
    return role && Object.keys(map.roles).length > 1 ? `${ROLE_WORDS[role].toLowerCase()} ` : ''
  }
  return (
    <HistogramsBox>
      {shown.map((channel) => (
        <Box component="figure" key={channel.name} sx={{ margin: 0 }}>
          <Box sx={{ border: '1px solid var(--line)', background: 'var(--raised)' }}>
            <Histogram
              values={channel.histogram}
              tone={shown.length === 1 ? 'ink2' : channel.name}
              words={labels.toMean(
                channel.name.toUpperCase(),
                channel.low.toFixed(2),
                channel.high.toFixed(2),
                channel.mean.toFixed(2),
              )}
            />
          </Box>
          <figcaption className="small ellipsis">
            {shown.length > 1 && <b>{channel.name.toUpperCase()} </b>}
            {roleOf(channel.name)}
            <Box component="span" className="mono" sx={{ fontSize: 10.5 }}>
              {channel.low.toFixed(2)}–{channel.high.toFixed(2)}
            </Box>
          </figcaption>
        </Box>
      ))}
    </HistogramsBox>
  )
}
