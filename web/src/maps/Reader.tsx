import { Box, Button } from '@mui/material'
import { useState } from 'react'

import { useBoard, useMap } from '../api/queries'
import type { BoardMap } from '../api/types'
import { useKeys } from '../components/keys'
import { NoteMark } from '../team/NoteMark'
import { CHANNEL_LETTERS } from '../words'
import { labels } from '../words/maps'
import { Judged } from './Judged'
import { MapNumbers } from './MapNumbers'
import { MapView } from './MapView'
import { RemoveMaps } from './RemoveMaps'

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
  const detail = useMeasured(name)
  const [repeat, setRepeat] = useState(false)
  const [actual, setActual] = useState(false)
  const [turned, setTurned] = useState(false)
  const map = detail.data?.map
  const has = (letter: string) => holds(map, letter)
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
  if (name === null || !detail.data || !map)
    return (
      <NothingToRead
        why={
          name === null ? labels.chooseAMapToReadIt : (detail.error?.message ?? labels.measuring)
        }
      />
    )
  const view = has(channel) ? channel : 'rgb'
  return (
    <aside className="pane" aria-label={labels.reader}>
      {removing && (
        <RemoveMaps
          names={several.length > 1 ? several : [name]}
          close={() => setRemoving(false)}
        />
      )}
      <ReaderBar
        map={map}
        repeat={repeat}
        setRepeat={setRepeat}
        actual={actual}
        setActual={setActual}
      />
      <ChannelTabs map={map} view={view} setChannel={setChannel} />
      <MapView
        key={map.sha256}
        map={map}
        view={view}
        repeat={repeat}
        actual={actual}
        turned={turned}
      />
      <div className="scroll" tabIndex={0} aria-label={labels.facts}>
        <MapNumbers detail={detail.data} />
        <Judged key={name} detail={detail.data} turned={turned} setTurned={setTurned} />
      </div>
    </aside>
  )
}

function NothingToRead({ why }: { why: string }) {
  return (
    <aside className="pane" aria-label={labels.reader}>
      <div className="empty">
        <p>{why}</p>
      </div>
    </aside>
  )
}

interface BarProps {
  map: BoardMap
  repeat: boolean
  setRepeat: (on: boolean) => void
  actual: boolean
  setActual: (on: boolean) => void
}

function ReaderBar({ map, repeat, setRepeat, actual, setActual }: BarProps) {
  return (
    <Box className="bar" sx={{ gap: 1 }}>
      <Box component="h2" className="ellipsis" sx={{ fontSize: 15 }} title={map.file}>
        {map.file.split('/').at(-1)}
      </Box>
      <span className="chip">{map.encoding === 'srgb' ? labels.srgb : labels.linear}</span>
      <NoteMark at={{ kind: 'map', place: [map.name] }} />
      <span className="grow" />
      <Button variant="text" aria-pressed={repeat} onClick={() => setRepeat(!repeat)}>
        <b className={repeat ? 'accent' : ''}>2 × 2</b>
      </Button>
      <Button variant="text" aria-pressed={actual} onClick={() => setActual(!actual)}>
        <b className={actual ? 'accent' : ''}>1 : 1</b>
      </Button>
    </Box>
  )
}

/** What was measured of a map, once it was. */
function useMeasured(name: string | null) {
  const waits = useBoard().data?.find((map) => map.name === name)?.state === 'measuring'
  return useMap(waits ? null : name)
}

/** Whether a map has a channel of its own, or the picture of all of them. */
function holds(map: BoardMap | undefined, letter: string) {
  if (letter === 'rgb') return true
  if (map?.channels === 1) return letter === 'r'
  if (map?.channels === 2) return 'ra'.includes(letter)
  return letter !== 'a' || map?.channels === 4
}

interface TabsProps {
  map: BoardMap
  view: string
  setChannel: (channel: string) => void
}

function ChannelTabs({ map, view, setChannel }: TabsProps) {
  return (
    <div className="tabs" role="group" aria-label={labels.channels}>
      <button className="tab" aria-pressed={view === 'rgb'} onClick={() => setChannel('rgb')}>
        {map.channels < 3 ? labels.grey : labels.wordRgb}
      </button>
      {CHANNEL_LETTERS.map((letter) => (
        <button
          key={letter}
          className={`tab mono ch-${letter}`}
          aria-pressed={view === letter}
          disabled={!holds(map, letter)}
          onClick={() => setChannel(letter)}
        >
          {letter.toUpperCase()}
          {letter === 'a' && !holds(map, 'a') && ` ${labels.wordNone}`}
        </button>
      ))}
    </div>
  )
}
