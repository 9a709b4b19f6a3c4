import { Swatch } from '../components/styles'
import { styled } from '@mui/material/styles'
import { STAGE_SIZES } from '../api/tables'
import { MiddleTruncate } from '../components/MiddleTruncate'
import { Box } from '@mui/material'

import { Picture } from '../components/Picture'
import type { Feed, InputName, Row, Sheet } from '../api/types'
import { useStatus } from '../api/notices'
import { Histogram } from '../components/Histogram'
import { INPUT_WORDS, inputName } from '../words'
import { toHex } from './colour'
import { changes, lies } from './feed'
import { NoteMark } from '../team/NoteMark'
import { labels } from '../words/materials'
import { useSha } from './useSha'

const Leaves = styled('div')({
  borderLeft: '1px solid var(--strong)',
  paddingLeft: 8,
  minWidth: 0,
  // A file's ending tells as much as its name: both fit.
  '& .mono .middle': {
    fontSize: 10.5,
  },
})

const GivesBox = styled('div')({
  display: 'grid',
  gridTemplateColumns: '40px 62px 1fr',
  gap: 8,
  minWidth: 0,
  alignItems: 'end',
  '& .mono': {
    lineHeight: 1.4,
    alignSelf: 'center',
    color: 'var(--ink2)',
  },
})

const ChangedBox = styled('button')({
  '&:hover': {
    borderColor: 'var(--strong)',
  },
  display: 'flex',
  flexWrap: 'wrap',
  gap: 3,
  minHeight: 40,
  alignItems: 'center',
  width: '100%',
  padding: 2,
  border: '1px solid transparent',
  borderRadius: 3,
  background: 'none',
  textAlign: 'left',
  cursor: 'pointer',
})

const SourceBox = styled('button')({
  display: 'grid',
  gridTemplateColumns: '40px minmax(0, 1fr)',
  gap: 8,
  alignItems: 'center',
  width: '100%',
  padding: 4,
  marginLeft: -5,
  border: '1px solid transparent',
  borderRadius: 3,
  background: 'none',
  textAlign: 'left',
  cursor: 'pointer',
  '&:hover': {
    borderColor: 'var(--strong)',
  },
  '&.target': {
    borderColor: 'var(--accent)',
    background: 'var(--accentWash)',
  },
})

const SheetRow = styled('div')({
  display: 'grid',
  gridTemplateColumns:
    '98px minmax(116px, 1.4fr) minmax(108px, 1fr) minmax(192px, 1fr) minmax( 92px, 0.6fr )',
  columnGap: 9,
  padding: '0 12px 0 14px',
  alignItems: 'center',
  minHeight: 62,
  borderBottom: '1px solid var(--line)',
  borderLeft: '2px solid transparent',
  paddingLeft: 12,
  '&.open': {
    background: 'var(--raised)',
  },
  '&.own': {
    borderLeftColor: 'var(--accent)',
  },
})

export function RowView({
  material,
  row,
  workflow,
  derived,
  open,
  solo,
  toggle,
  pick,
  drop,
  dropFile,
  children,
}: RowProps) {
  const { unit } = INPUT_WORDS[row.input]
  const name = inputName(row.input, workflow)
  const show = useStatus((state) => state.show)
  const { feed } = row
  return (
    <>
      <SheetRow
        className={`${open ? 'open' : ''} ${derived && row.own ? 'own' : ''}`}
        onMouseEnter={() =>
          show(
            feed?.map
              ? `${feed.map} · ${(feed.channels ?? 'rgb').toUpperCase()}`
              : `${name}: ${unit}`,
          )
        }
        data-input={row.input}
      >
        <div>
          <b>{name}</b> <NoteMark at={{ kind: 'input', place: [material, row.input] }} />
          <Box className="small" sx={{ fontSize: 11 }}>
            {unit}
          </Box>
        </div>
        <Source row={row} name={name} pick={pick} drop={drop} dropFile={dropFile} />
        <Changed row={row} name={name} derived={derived} open={open} toggle={toggle} />
        <ResultPreview row={row} solo={solo} />
        <Leaving row={row} />
      </SheetRow>
      {open && children}
    </>
  )
}

type SourceProps = Pick<RowProps, 'row' | 'pick' | 'drop' | 'dropFile'> & { name: string }

/** What feeds an input: pressed to choose another; takes a dragged feed or a file, and may be dragged itself. */
function Source({ row: { feed, ...row }, name, pick, drop, dropFile }: SourceProps) {
  return (
    <SourceBox
      className="source"
      onClick={pick}
      data-takes-files
      draggable={feed?.map != null}
      onDragStart={(event) =>
        event.dataTransfer.setData(
          FEED,
          JSON.stringify({ map: feed?.map, channels: feed?.channels }),
        )
      }
      onDragOver={(event) => {
        if (event.dataTransfer.types.includes(FEED) || event.dataTransfer.types.includes('Files'))
          event.preventDefault()
      }}
      onDrop={(event) => {
        const file = event.dataTransfer.files[0]
        if (file) {
          event.preventDefault()
          dropFile(file)
          return
        }
        const dropped = event.dataTransfer.getData(FEED)
        if (!dropped) return
        event.preventDefault()
        drop(JSON.parse(dropped) as { map: string; channels: Feed['channels'] })
      }}
    >
      <span className="sr">{labels.sourceOf(name)}</span>
      <SourceWords row={{ ...row, feed }} />
    </SourceBox>
  )
}

function SourceWords({ row: { input, feed, origin } }: { row: Row }) {
  if (!feed)
    return (
      <>
        <span className="chip">{labels.none}</span>
        <span className={origin ? '' : 'quiet'}>{labels.choose}</span>
      </>
    )
  if (!feed.map)
    return (
      <>
        <ConstantSwatch input={input} feed={feed} />
        <span className={origin ? '' : 'quiet'}>{constantWords(input, feed, origin !== null)}</span>
      </>
    )
  return (
    <>
      <SourceThumb feed={feed} />
      <Box component="span" sx={{ minWidth: 0 }}>
        <MiddleTruncate name={feed.map} />
        <Letters channels={feed.channels ?? 'rgb'} />
      </Box>
    </>
  )
}

type ChangedProps = Pick<RowProps, 'row' | 'derived' | 'open' | 'toggle'> & { name: string }

/** What is changed on the way; pressed to adjust it. */
function Changed({ row, name, derived, open, toggle }: ChangedProps) {
  const { feed } = row
  const chips = feed ? [...changes(row.input, feed), ...lies(feed)] : []
  const own = derived && row.own
  return (
    <ChangedBox onClick={toggle} aria-expanded={open} disabled={!feed}>
      <span className="sr">{labels.adjustmentsOf(name)}</span>
      {chips.map((chip) => (
        <span key={chip} className="chip">
          {chip}
        </span>
      ))}
      {own && <span className="chip own">{labels.own}</span>}
      {chips.length === 0 && !own && feed && (
        <span className="small">{open ? labels.wordClose : labels.wordAdjust}</span>
      )}
    </ChangedBox>
  )
}

function ResultPreview({ row, solo }: { row: Row; solo: boolean }) {
  if (row.problem) return <span className="brick small">! {row.problem}</span>
  if (!row.gives || !row.picture) return <span className="small">{labels.nothing}</span>
  const { low, high, histogram } = row.gives
  const flat = isFlat(row.gives)
  return (
    <GivesBox>
      {flat && !row.feed?.map ? (
        <span />
      ) : (
        <Picture
          className="thumb"
          src={`/api/stage-pictures/${row.picture}/${STAGE_SIZES.quick}.png`}
          width={40}
          height={40}
          alt={labels.asItResults(INPUT_WORDS[row.input].name)}
          style={{ outline: solo ? '2px solid var(--accent)' : 'none' }}
        />
      )}
      {flat ? (
        <span />
      ) : (
        <Histogram
          values={histogram}
          width={62}
          height={34}
          words={labels.fromTo(resultNumber(row.gives, low), resultNumber(row.gives, high))}
        />
      )}
      <Box component="span" className="mono" sx={{ fontSize: 10.5 }}>
        {resultWords(row.input, row.gives).map((text) => (
          <Box component="span" key={text} sx={{ display: 'block', whiteSpace: 'nowrap' }}>
            {text}
          </Box>
        ))}
      </Box>
    </GivesBox>
  )
}

type Gives = NonNullable<Row['gives']>

const isFlat = ({ low, high }: Gives) => high - low < 0.002

const resultNumber = ({ unit }: Gives, value: number) =>
  unit === 'degrees' ? `${value.toFixed(value < 10 ? 1 : 0)}°` : value.toFixed(2)

/** What an input results in, in one or two short lines: its value, its share of metal, or its range and mean. */
function resultWords(input: InputName, gives: Gives): string[] {
  const { low, high, mean, unit, histogram } = gives
  const number = (value: number) => resultNumber(gives, value)
  if (isFlat(gives)) return [input === 'emission' && high === 0 ? labels.wordBlack : number(mean)]
  if (input === 'metallic') {
    const between = histogram.slice(3, -3).reduce((sum, value) => sum + value, 0)
    return [labels.metal(Math.round(mean * 100)), labels.between(Math.round(between * 100))]
  }
  if (unit === 'degrees') return [labels.to(number(high)), labels.mean(number(mean))]
  const sign = unit === 'luminance' ? 'L ' : ''
  return [`${sign}${number(low)}–${number(high)}`, labels.mean(number(mean))]
}

function Leaving({ row }: { row: Row }) {
  const { leaves } = row
  return (
    <Leaves className="leaves">
      {leaves.file ? (
        <>
          <span className="mono" title={leaves.file}>
            <MiddleTruncate
              name={`${leaves.words}${leaves.file.slice(leaves.file.lastIndexOf('.'))}`}
            />
          </span>
          <Box component="span" sx={{ whiteSpace: 'nowrap' }}>
            <span className="mono">
              {leaves.channels.split('').map((letter) => (
                <b key={letter} className={`ch-${letter}`}>
                  {letter.toUpperCase()}{' '}
                </b>
              ))}
            </span>
            {leaves.quantity && (
              <Box component="span" className="quiet" sx={{ fontSize: 11 }}>
                {leaves.quantity}
              </Box>
            )}
          </Box>
        </>
      ) : (
        <span className={`mono ${leaves.carried ? 'quiet' : 'amber'}`}>
          {!leaves.carried && '△ '}
          {leaves.words}
        </span>
      )}
    </Leaves>
  )
}

const FEED = 'application/x-ektopos-feed'

interface RowProps {
  material: string
  row: Row
  workflow: Sheet['workflow']
  derived: boolean
  open: boolean
  solo: boolean
  toggle: () => void
  pick: () => void
  drop: (source: { map: string; channels: Feed['channels'] }) => void
  dropFile: (file: File) => void
  children: React.ReactNode
}

function SourceThumb({ feed }: { feed: Feed }) {
  const sha = useSha(feed.map ?? '')
  const view = feed.channels && feed.channels.length === 1 ? feed.channels : 'rgb'
  return sha ? (
    <Picture
      className="thumb"
      src={`/api/map-pictures/${sha}/${view}/128.png`}
      width={40}
      height={40}
      alt=""
    />
  ) : (
    <Swatch className="thumb" />
  )
}

function ConstantSwatch({ input, feed }: { input: InputName; feed: Feed }) {
  const value = feed.value
  const colour = Array.isArray(value)
    ? input === 'normal'
      ? value.map((v) => (v * 0.5 + 0.5) ** 2.2)
      : value
    : [value ?? 0, value ?? 0, value ?? 0]
  return <Swatch style={{ background: toHex(colour) }} aria-hidden />
}

function constantWords(input: InputName, feed: Feed, stated: boolean): string {
  if (input === 'normal') return labels.wordFlat
  if (!stated && input === 'emission') return labels.none
  if (Array.isArray(feed.value)) return toHex(feed.value)
  return (feed.value ?? 0).toFixed(2)
}

export function Letters({ channels }: { channels: string }) {
  if (channels === 'luminance') return <span className="chip">{labels.luminance}</span>
  return (
    <Box component="span" sx={{ display: 'flex', gap: 0.375 }}>
      {channels.split('').map((letter) => (
        <span key={letter} className={`letter ch-${letter}`}>
          {letter.toUpperCase()}
        </span>
      ))}
    </Box>
  )
}
