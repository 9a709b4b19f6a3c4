import { Button } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useBoard, useMap, useProject } from '../api/queries'
import type { MapDetail } from '../api/types'
import { useKeys } from '../components/keys'
import { CHANNEL_LETTERS, ROLE_WORDS, bytes, sizeWords } from '../words'
import { CompareGloss } from './CompareGloss'
import { Correct } from './Correct'
import { RemoveMaps } from './RemoveMaps'
import { Histogram } from '../components/Histogram'
import { NoteMark } from '../team/NoteMark'
import { MapView } from './MapView'
import { labels } from '../words/maps'

/** One map large, with its channels, its numbers, and what we think it is. */
export function Reader({
  name,
  channel,
  setChannel,
  several,
}: {
  name: string | null
  channel: string
  setChannel: (channel: string) => void
  /** The maps that are chosen together, where there are several. */
  several: string[]
}) {
  const [removing, setRemoving] = useState(false)
  const waits = useBoard().data?.find((map) => map.name === name)?.state === 'measuring'
  const detail = useMap(waits ? null : name)
  const [repeat, setRepeat] = useState(false)
  const [actual, setActual] = useState(false)
  const [turned, setTurned] = useState(false)
  const has = (letter: string) =>
    letter === 'rgb' ||
    (detail.data?.map.channels === 1
      ? letter === 'r'
      : detail.data?.map.channels === 2
        ? 'ra'.includes(letter)
        : letter !== 'a' || detail.data?.map.channels === 4)
  useKeys([
    { key: 'c', words: labels.allChannels, run: () => setChannel('rgb') },
    ...CHANNEL_LETTERS.map((letter) => ({
      key: letter,
      words: letter === 'a' ? 'channels' : '',
      run: () => has(letter) && setChannel(letter),
    })),
    { key: '1', words: '1:1', run: () => setActual(!actual) },
    { key: '2', words: '2 × 2', run: () => setRepeat(!repeat) },
    { key: 'Delete', words: labels.keyRemove, run: () => setRemoving(name !== null) },
  ])
  if (name === null || !detail.data) {
    return (
      <aside className="pane" aria-label={labels.reader}>
        <div className="empty">
          <p>
            {detail.isError
              ? detail.error.message
              : name === null
                ? labels.chooseAMapToReadIt
                : labels.measuring}
          </p>
        </div>
      </aside>
    )
  }
  const { map } = detail.data
  const view = has(channel) ? channel : 'rgb'
  return (
    <aside className="pane" aria-label={labels.reader}>
      {removing && (
        <RemoveMaps
          names={several.length > 1 ? several : [name]}
          close={() => setRemoving(false)}
        />
      )}
      <div className="bar" style={{ gap: 8 }}>
        <h2 className="ellipsis" style={{ fontSize: 15 }} title={map.file}>
          {map.file.split('/').at(-1)}
        </h2>
        <span className="chip">{map.encoding === 'srgb' ? 'sRGB' : 'linear'}</span>
        <NoteMark at={{ kind: 'map', place: [name] }} />
        <span className="grow" />
        <Button variant="text" aria-pressed={repeat} onClick={() => setRepeat(!repeat)}>
          <b className={repeat ? 'accent' : ''}>2 × 2</b>
        </Button>
        <Button variant="text" aria-pressed={actual} onClick={() => setActual(!actual)}>
          <b className={actual ? 'accent' : ''}>1 : 1</b>
        </Button>
      </div>
      <div className="tabs" role="group" aria-label={labels.channels}>
        <button className="tab" aria-pressed={view === 'rgb'} onClick={() => setChannel('rgb')}>
          {map.channels < 3 ? labels.grey : 'RGB'}
        </button>
        {CHANNEL_LETTERS.map((letter) => (
          <button
            key={letter}
            className={`tab mono ch-${letter}`}
            aria-pressed={view === letter}
            disabled={!has(letter)}
            onClick={() => setChannel(letter)}
          >
            {letter.toUpperCase()}
            {letter === 'a' && !has('a') && ' none'}
          </button>
        ))}
      </div>
      <MapView
        key={map.sha256}
        map={map}
        view={view}
        repeat={repeat}
        actual={actual}
        turned={turned}
      />
      <div className="scroll" tabIndex={0} aria-label={labels.facts}>
        <Numbers detail={detail.data} />
        <Think key={name} detail={detail.data} turned={turned} setTurned={setTurned} />
      </div>
    </aside>
  )
}

const swatch = (codes: number[]) =>
  `rgb(${codes.length >= 3 ? codes.slice(0, 3).join(' ') : `${codes[0]} ${codes[0]} ${codes[0]}`})`

function Numbers({ detail }: { detail: MapDetail }) {
  const { map } = detail
  const seam = (value: number | null | undefined) => value != null && value < 2.5
  const repeats = [seam(detail.repeats_x) && 'x', seam(detail.repeats_y) && 'y']
    .filter(Boolean)
    .join(' and ')
  const shown =
    map.channels >= 3 &&
    detail.channels.slice(1, 3).every((c) => c.mean === detail.channels[0]?.mean)
      ? detail.channels.filter((c) => c.name === 'r' || c.name === 'a')
      : detail.channels
  const roleOf = (letter: string) =>
    Object.entries(map.roles).find(([group]) => group.includes(letter))?.[1]
  return (
    <>
      <div className="histograms">
        {shown.map((channel) => (
          <figure key={channel.name} style={{ margin: 0 }}>
            <div style={{ border: '1px solid var(--line)', background: 'var(--raised)' }}>
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
            </div>
            <figcaption className="small ellipsis">
              {shown.length > 1 && <b>{channel.name.toUpperCase()} </b>}
              {roleOf(channel.name) && Object.keys(map.roles).length > 1
                ? `${ROLE_WORDS[roleOf(channel.name)!].toLowerCase()} `
                : ''}
              <span className="mono" style={{ fontSize: 10.5 }}>
                {channel.low.toFixed(2)}–{channel.high.toFixed(2)}
              </span>
            </figcaption>
          </figure>
        ))}
      </div>
      <dl className="facts">
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
        <dd className="mono row" style={{ justifyContent: 'flex-end', gap: 6 }}>
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
        </dd>
        <dt>{labels.over}</dt>
        <dd className="mono">
          {(100 * detail.background).toFixed(detail.background < 0.1 ? 1 : 0)} %
        </dd>
        <dt>{labels.repeats}</dt>
        <dd className="mono">{repeats ? labels.inOf(repeats) : 'no'}</dd>
        <dt>{labels.usedBy}</dt>
        <dd className="mono ellipsis" title={map.used_by.join(', ')}>
          {map.used_by.length === 0
            ? 'nothing'
            : `${map.used_by[0]}${map.used_by.length > 1 ? ` +${map.used_by.length - 1}` : ''}`}
        </dd>
      </dl>
      {detail.notes.length > 0 && (
        <p className="small" style={{ padding: '6px 14px', borderBottom: '1px solid var(--line)' }}>
          {sizeWords(map.width, map.height)} {detail.format}: {detail.notes.join('; ')}.
        </p>
      )}
    </>
  )
}

function Think({
  detail,
  turned,
  setTurned,
}: {
  detail: MapDetail
  turned: boolean
  setTurned: (turned: boolean) => void
}) {
  const [correcting, setCorrecting] = useState<'as it is' | 'packed' | null>(null)
  const [removing, setRemoving] = useState(false)
  const edit = useEdit()
  const glossy = Object.entries(detail.map.roles).find(
    ([, role]) => role === 'roughness' || role === 'gloss',
  )
  const [comparing, setComparing] = useState(false)
  const rules = useProject().data?.document.naming ?? []
  const ruled = rules.some(
    (rule) =>
      rule.ending === detail.ending &&
      JSON.stringify(rule.roles) === JSON.stringify(detail.map.roles),
  )
  const { map } = detail
  const said = (roles: MapDetail['judged_roles']) =>
    Object.values(roles).length
      ? Object.values(roles)
          .map((role) => ROLE_WORDS[role].toLowerCase())
          .join(' · ')
      : 'unknown'
  const isConfirmed = map.by_hand || map.said_by != null
  const differs = map.by_hand && JSON.stringify(map.roles) !== JSON.stringify(detail.judged_roles)
  return (
    <section style={{ padding: '10px 14px' }} aria-label={labels.whatWeThinkItIs}>
      <div className="row wrap">
        <h2>
          {map.by_hand
            ? labels.setByYou
            : map.said_by
              ? labels.setBy(map.said_by)
              : labels.detected}
          :{' '}
          {detail.role === 'packed' && !isConfirmed
            ? labels.packed(said(map.roles))
            : said(map.roles)}
        </h2>
        {!isConfirmed && (
          <span
            className={`chip ${map.state === 'sure' ? 'own' : map.state === 'conflict' ? 'brick' : 'amber'}`}
          >
            {map.state !== 'sure' &&
              (map.state === 'conflict' ? labels.conflictMark : labels.uncertainMark)}
            {Math.round(map.confidence * 100)} %
          </span>
        )}
        {map.normal_y && (
          <span className="chip">
            {labels.green(map.normal_y === '-' ? labels.downMinusY : labels.upPlusY)}
          </span>
        )}
      </div>
      <div className="row wrap" style={{ margin: '8px 0' }}>
        {!map.by_hand && (
          <Button
            variant="contained"
            onClick={() => void edit({ kind: 'set-map', maps: [map.name] })}
          >
            {labels.confirm}
          </Button>
        )}
        <Button onClick={() => setCorrecting(labels.asItIs)}>{labels.change}</Button>
        {!isConfirmed &&
          map.state !== 'sure' &&
          map.channels > 2 &&
          map.roles.rgb === 'base_color' && (
            <Button onClick={() => setCorrecting('packed')}>{labels.itIsPacked}</Button>
          )}
        {map.normal_y && (
          <Button aria-pressed={turned} onClick={() => setTurned(!turned)}>
            {turned ? labels.showAsStored : labels.showGreenFlipped}
          </Button>
        )}
        {glossy && (
          <Button onClick={() => setComparing(true)}>
            {glossy[1] === 'gloss' ? labels.compareAsRoughness : labels.compareAsGloss}
          </Button>
        )}
        {glossy && comparing && (
          <CompareGloss map={detail.map} channels={glossy[0]} close={() => setComparing(false)} />
        )}
        {map.by_hand && detail.ending && !ruled && (
          <Button onClick={() => void edit({ kind: 'add-naming-rule', map: map.name })}>
            {labels.treatAllMapsLikeThis(detail.ending)}
          </Button>
        )}
        <Button onClick={() => setRemoving(true)}>{labels.remove}</Button>
        {differs && (
          <Button
            onClick={() =>
              void edit({
                kind: 'set-map',
                maps: [map.name],
                roles: detail.judged_roles,
                normal_y: (detail.judged_normal_y as '+' | '-' | null) ?? undefined,
              })
            }
          >
            {labels.takeWhatWeThink}
          </Button>
        )}
      </div>
      <ul className="evidence">
        {differs && (
          <li>
            <span className="amber">△</span>
            <span>{labels.nameAndPixelsAloneSay(said(detail.judged_roles))}</span>
          </li>
        )}
        {detail.evidence.map((text) => (
          <li key={text}>
            <span className="accent">✓</span>
            <span>{text}</span>
          </li>
        ))}
        {detail.doubts.map((text) => (
          <li key={text}>
            <span className="amber">△</span>
            <span>{text}</span>
          </li>
        ))}
      </ul>
      {removing && <RemoveMaps names={[map.name]} close={() => setRemoving(false)} />}
      {correcting && (
        <Correct
          map={map}
          startsPacked={correcting === 'packed'}
          close={() => setCorrecting(null)}
        />
      )}
    </section>
  )
}
