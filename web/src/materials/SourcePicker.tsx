import { styled } from '@mui/material/styles'
import { MapThumb } from '../components/MapThumb'
import { MiddleTruncate } from '../components/MiddleTruncate'
import { Picture } from '../components/Picture'
import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import { useBoard } from '../api/queries'
import type { BoardMap, Feed, InputName, Row } from '../api/types'
import { INPUT_WORDS, naturally } from '../words'
import { PLAIN, WIDE, firstValue } from './feed'
import { labels } from '../words/materials'

const Pick = styled('div')({
  display: 'grid',
  gridTemplateColumns: 'repeat(auto-fill, minmax(92px, 1fr))',
  gap: 8,
  maxHeight: '46vh',
  overflow: 'auto',
  padding: 2,
  '& button': {
    display: 'grid',
    gap: 3,
    justifyItems: 'center',
    padding: 6,
    border: '1px solid var(--line)',
    borderRadius: 3,
    background: 'none',
    cursor: 'pointer',
  },
  '& button[aria-pressed="true"]': {
    borderColor: 'var(--accent)',
    background: 'var(--accentWash)',
  },
})

type Channels = NonNullable<Feed['channels']>

const NAMES: Record<string, string> = {
  rgb: 'RGB',
  r: 'R',
  g: 'G',
  b: 'B',
  a: 'A',
  luminance: labels.luminanceTitle,
}

/** Which channels of a map can feed an input; the likeliest first. */
function channelsFor(input: InputName, map: BoardMap): Channels[] {
  const letters = ({ 1: ['r'], 2: ['r', 'a'], 3: ['r', 'g', 'b'], 4: ['r', 'g', 'b', 'a'] }[
    map.channels
  ] ?? []) as Channels[]
  if (input === 'normal') return map.channels >= 3 ? ['rgb'] : []
  if (WIDE.includes(input)) return map.channels >= 3 ? ['rgb', ...letters] : letters
  const wanted = input === 'roughness' ? ['roughness', 'gloss'] : [input]
  const held = Object.entries(map.roles).find(([, role]) => wanted.includes(role))?.[0]
  const first = letters.filter((letter) => held?.includes(letter)).slice(0, 1)
  return [
    ...first,
    ...letters.filter((letter) => !first.includes(letter)),
    ...(map.channels >= 3 ? (['luminance'] as Channels[]) : []),
  ]
}

/** The feed of a map in place of what feeds now, whose adjustments stay; gloss is inverted where it becomes roughness. */
function fedBy(row: Row, map: BoardMap, channels: Channels): Feed {
  const adjustments = row.feed?.map ? row.feed : PLAIN
  const role = Object.entries(map.roles).find(([group]) => group.includes(channels))?.[1]
  const gloss =
    row.input === 'roughness' && row.feed?.map !== map.name ? { invert: role === 'gloss' } : {}
  return { ...adjustments, ...gloss, value: null, map: map.name, channels }
}

/** The constant that feeds already, or a usual one. */
function constantOf(row: Row) {
  return row.feed?.map == null && row.feed?.value != null ? row.feed.value : firstValue(row.input)
}

interface Props {
  row: Row
  close: () => void
  choose: (feed: Feed) => void
}

/** Choose what feeds an input: a constant, or a map and the channel of it, shown as pictures. */
export function SourcePicker({ row, close, choose }: Props) {
  const maps = useBoard().data ?? []
  const [search, setSearch] = useState('')
  const [mapName, setMapName] = useState(row.feed?.map ?? null)
  const map = maps.find((entry) => entry.name === mapName)
  const [channels, setChannels] = useState<Channels | null>(
    row.feed?.map ? (row.feed.channels ?? null) : null,
  )
  const options = map ? channelsFor(row.input, map) : []
  const current = channels && options.includes(channels) ? channels : options[0]
  const { name } = INPUT_WORDS[row.input]
  const use = (feed: Feed) => {
    choose(feed)
    close()
  }
  const useMap = () => {
    if (!map || !current) return
    use(fedBy(row, map, current))
  }
  return (
    <Dialog open onClose={close} fullWidth maxWidth="sm">
      <DialogTitle>{labels.sourceOfOf(name)}</DialogTitle>
      <DialogContent>
        <Box className="row" sx={{ paddingBlock: 0.75 }}>
          <TextField
            className="grow"
            label={labels.searchMaps}
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
          <Button onClick={() => use({ ...PLAIN, value: constantOf(row) })}>
            {labels.useAConstant}
          </Button>
        </Box>
        <MapGrid
          row={row}
          chosen={mapName}
          choose={(name) => {
            setMapName(name)
            setChannels(null)
          }}
          search={search.toLowerCase()}
        />
        {map && <ChannelGrid map={map} options={options} current={current} choose={setChannels} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={!map || !current} onClick={useMap}>
          {labels.useThisMap}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

interface MapGridProps {
  row: Row
  /** In small letters. */
  search: string
  chosen: string | null
  choose: (name: string) => void
}

/** The maps that can feed an input; those whose role it is come first. */
function MapGrid({ row, search, chosen, choose }: MapGridProps) {
  const maps = useBoard().data ?? []
  const roles = row.input === 'roughness' ? ['roughness', 'gloss'] : [row.input]
  const fits = (entry: BoardMap) => Object.values(entry.roles).some((role) => roles.includes(role))
  const listed = maps
    .filter(
      (entry) =>
        entry.name.toLowerCase().includes(search) && channelsFor(row.input, entry).length > 0,
    )
    .sort((a, b) => Number(fits(b)) - Number(fits(a)) || naturally(a.name, b.name))
  return (
    <Pick role="group" aria-label={labels.maps}>
      {listed.map((entry) => (
        <button
          key={entry.name}
          aria-pressed={entry.name === chosen}
          onClick={() => choose(entry.name)}
          title={entry.name}
        >
          <MapThumb sha256={entry.width > 0 ? entry.sha256 : null} side={64} />
          <Box component="span" className="mono" sx={{ maxWidth: 84, fontSize: 10.5 }}>
            <MiddleTruncate name={entry.name} />
          </Box>
        </button>
      ))}
      {listed.length === 0 && <p className="quiet">{labels.noMapFitsHereBringOne}</p>}
    </Pick>
  )
}

interface ChannelGridProps {
  map: BoardMap
  options: Channels[]
  current: Channels | undefined
  choose: (channels: Channels) => void
}

function ChannelGrid({ map, options, current, choose }: ChannelGridProps) {
  return (
    <Box sx={{ marginTop: 1.5 }}>
      <h2>{labels.channelOf(map.name)}</h2>
      <Pick
        sx={{ gridTemplateColumns: 'repeat(auto-fill, minmax(72px, 84px))' }}
        role="group"
        aria-label={labels.channel}
      >
        {options.map((option) => (
          <button key={option} aria-pressed={option === current} onClick={() => choose(option)}>
            <Picture
              className="thumb"
              src={`/api/map-pictures/${map.sha256}/${option === 'luminance' ? 'rgb' : option}/128.png`}
              width={56}
              height={56}
              alt=""
            />
            <span className="mono">{NAMES[option]}</span>
          </button>
        ))}
      </Pick>
    </Box>
  )
}
