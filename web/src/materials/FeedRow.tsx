import { STAGE_SIZES } from '../api/tables'
import { MiddleTruncate } from '../components/MiddleTruncate'
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
  const chips = feed ? [...changes(row.input, feed), ...lies(feed)] : []
  return (
    <>
      <div
        className={`sheet-row ${open ? 'open' : ''} ${derived && row.own ? 'own' : ''}`}
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
          <div className="small" style={{ fontSize: 11 }}>
            {unit}
          </div>
        </div>
        <button
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
            if (
              event.dataTransfer.types.includes(FEED) ||
              event.dataTransfer.types.includes('Files')
            )
              event.preventDefault()
          }}
          onDrop={(event) => {
            const file = event.dataTransfer.files[0]
            if (file) {
              event.preventDefault()
              dropFile(file)
              return
            }
            const given = event.dataTransfer.getData(FEED)
            if (!given) return
            event.preventDefault()
            drop(JSON.parse(given) as { map: string; channels: Feed['channels'] })
          }}
        >
          <span className="sr">{labels.sourceOf(name)}</span>
          {feed ? (
            feed.map ? (
              <SourceThumb feed={feed} />
            ) : (
              <ConstantSwatch input={row.input} feed={feed} />
            )
          ) : (
            <span className="chip">{labels.none}</span>
          )}
          <span style={{ minWidth: 0 }}>
            {feed?.map ? (
              <>
                <MiddleTruncate name={feed.map} />
                <Letters channels={feed.channels ?? 'rgb'} />
              </>
            ) : (
              <span className={row.origin ? '' : 'quiet'}>
                {feed ? constantWords(row.input, feed, row.origin !== null) : labels.choose}
              </span>
            )}
          </span>
        </button>
        <button className="changed" onClick={toggle} aria-expanded={open} disabled={!feed}>
          <span className="sr">{labels.adjustmentsOf(name)}</span>
          {chips.map((chip) => (
            <span key={chip} className="chip">
              {chip}
            </span>
          ))}
          {derived && row.own && <span className="chip own">{labels.own}</span>}
          {chips.length === 0 && !(derived && row.own) && feed && (
            <span className="small">{open ? 'close' : 'adjust'}</span>
          )}
        </button>
        <ResultPreview row={row} solo={solo} />
        <Leaving row={row} />
      </div>
      {open && children}
    </>
  )
}

function ResultPreview({ row, solo }: { row: Row; solo: boolean }) {
  if (row.problem) return <span className="brick small">! {row.problem}</span>
  if (!row.gives || !row.picture) return <span className="small">{labels.nothing}</span>
  const { low, high, mean, unit, histogram } = row.gives
  const flat = high - low < 0.002
  const number = (value: number) =>
    unit === 'degrees' ? `${value.toFixed(value < 10 ? 1 : 0)}°` : value.toFixed(2)
  const metal = row.input === 'metallic' && !flat
  const between = histogram.slice(3, -3).reduce((sum, value) => sum + value, 0)
  const words = flat
    ? [row.input === 'emission' && high === 0 ? 'black' : number(mean)]
    : metal
      ? [labels.metal(Math.round(mean * 100)), labels.between(Math.round(between * 100))]
      : unit === 'degrees'
        ? [labels.to(number(high)), labels.mean(number(mean))]
        : [
            `${unit === 'luminance' ? 'L ' : ''}${number(low)}–${number(high)}`,
            labels.mean(number(mean)),
          ]
  return (
    <div className="gives">
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
          words={labels.fromTo(number(low), number(high))}
        />
      )}
      <span className="mono" style={{ fontSize: 10.5 }}>
        {words.map((text) => (
          <span key={text} style={{ display: 'block', whiteSpace: 'nowrap' }}>
            {text}
          </span>
        ))}
      </span>
    </div>
  )
}

function Leaving({ row }: { row: Row }) {
  const { leaves } = row
  return (
    <div className="leaves">
      {leaves.file ? (
        <>
          <span className="mono" title={leaves.file}>
            <MiddleTruncate
              name={`${leaves.words}${leaves.file.slice(leaves.file.lastIndexOf('.'))}`}
            />
          </span>
          <span style={{ whiteSpace: 'nowrap' }}>
            <span className="mono">
              {leaves.channels.split('').map((letter) => (
                <b key={letter} className={`ch-${letter}`}>
                  {letter.toUpperCase()}{' '}
                </b>
              ))}
            </span>
            {leaves.quantity && (
              <span className="quiet" style={{ fontSize: 11 }}>
                {leaves.quantity}
              </span>
            )}
          </span>
        </>
      ) : (
        <span className={`mono ${leaves.carried ? 'quiet' : 'amber'}`}>
          {!leaves.carried && '△ '}
          {leaves.words}
        </span>
      )}
    </div>
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
    <span className="thumb swatch" />
  )
}

function ConstantSwatch({ input, feed }: { input: InputName; feed: Feed }) {
  const value = feed.value
  const colour = Array.isArray(value)
    ? input === 'normal'
      ? value.map((v) => (v * 0.5 + 0.5) ** 2.2)
      : value
    : [value ?? 0, value ?? 0, value ?? 0]
  return <span className="swatch" style={{ background: toHex(colour) }} aria-hidden />
}

function constantWords(input: InputName, feed: Feed, stated: boolean): string {
  if (input === 'normal') return 'flat'
  if (!stated && input === 'emission') return 'none'
  if (Array.isArray(feed.value)) return toHex(feed.value)
  return (feed.value ?? 0).toFixed(2)
}

export function Letters({ channels }: { channels: string }) {
  if (channels === 'luminance') return <span className="chip">{labels.luminance}</span>
  return (
    <span style={{ display: 'flex', gap: 3 }}>
      {channels.split('').map((letter) => (
        <span key={letter} className={`letter ch-${letter}`}>
          {letter.toUpperCase()}
        </span>
      ))}
    </span>
  )
}
