import { styled } from '@mui/material/styles'
import { Picture } from '../components/Picture'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { PointerEvent, WheelEvent } from 'react'

import { get } from '../api/client'
import type { BoardMap, Texel } from '../api/types'
import { labels } from '../words/maps'

const ReadoutBox = styled('span')({
  position: 'absolute',
  left: 10,
  bottom: 8,
  padding: '2px 8px',
  borderRadius: 3,
  background: 'rgb(0 0 0 / 72%)',
  color: 'white',
})

const View = styled('div')({
  position: 'relative',
  flex: 'none',
  height: 300,
  background: 'var(--stage)',
  overflow: 'hidden',
  touchAction: 'none',
  cursor: 'crosshair',
  '& img': {
    position: 'absolute',
    imageRendering: 'pixelated',
    transformOrigin: '0 0',
    userSelect: 'none',
    webkitUserDrag: 'none',
  },
})

/** Source: IEC 61966-2-1. */
const linear = (encoded: number) =>
  encoded <= 0.04045 ? encoded / 12.92 : ((encoded + 0.055) / 1.055) ** 2.4

const HEIGHT = 300
const WIDTH = 440

/** A map to look at: fitted or texel for texel, moved by dragging, zoomed by the wheel, repeated to see its seams. */
export function MapView({
  map,
  view,
  repeat,
  actual,
  turned,
}: {
  map: BoardMap
  view: string
  repeat: boolean
  actual: boolean
  turned: boolean
}) {
  const fit = Math.min(WIDTH / map.width, HEIGHT / map.height) / (repeat ? 2 : 1)
  const [zoom, setZoom] = useState({ scale: 0, x: 0, y: 0 })
  const [texel, setTexel] = useState<{ x: number; y: number } | null>(null)
  const drag = useRef<{ x: number; y: number } | null>(null)
  const box = useRef<HTMLDivElement>(null)
  const [seen, setSeen] = useState({ actual, repeat })
  if (seen.actual !== actual || seen.repeat !== repeat) {
    setSeen({ actual, repeat })
    setZoom({ scale: actual ? 1 : 0, x: 0, y: 0 })
  }
  const scale = zoom.scale || fit
  const copies = repeat ? 2 : 1
  const left = (WIDTH - map.width * copies * scale) / 2 + zoom.x
  const top = (HEIGHT - map.height * copies * scale) / 2 + zoom.y
  // A picture as large as it is shown is enough; from 1:1 on it is the map itself.
  const wanted = Math.max(map.width, map.height) * scale
  const size =
    [256, 512, 1024].find((step) => step >= wanted * (window.devicePixelRatio || 1)) ??
    Math.max(map.width, map.height)
  const url = `/api/map-pictures/${map.sha256}/${view}/${size}.png`

  const at = (event: PointerEvent | WheelEvent) => {
    const bounds = box.current!.getBoundingClientRect()
    return { x: event.clientX - bounds.left, y: event.clientY - bounds.top }
  }
  const moved = (event: PointerEvent) => {
    const here = at(event)
    if (drag.current) {
      const by = { x: here.x - drag.current.x, y: here.y - drag.current.y }
      drag.current = here
      setZoom((before) => ({ scale: before.scale || fit, x: before.x + by.x, y: before.y + by.y }))
      return
    }
    const x = Math.floor((here.x - left) / scale)
    const y = Math.floor((here.y - top) / scale)
    const inside = x >= 0 && y >= 0 && x < map.width * copies && y < map.height * copies
    setTexel(inside ? { x: x % map.width, y: y % map.height } : null)
  }
  useEffect(() => {
    const element = box.current!
    const wheel = (event: globalThis.WheelEvent) => {
      event.preventDefault()
      const bounds = element.getBoundingClientRect()
      const px = event.clientX - bounds.left - WIDTH / 2
      const py = event.clientY - bounds.top - HEIGHT / 2
      setZoom((before) => {
        const old = before.scale || fit
        const next = Math.min(32, Math.max(fit / 2, old * Math.exp(-event.deltaY * 0.0015)))
        return {
          scale: next,
          x: px - ((px - before.x) * next) / old,
          y: py - ((py - before.y) * next) / old,
        }
      })
    }
    element.addEventListener('wheel', wheel, { passive: false })
    return () => element.removeEventListener('wheel', wheel)
  }, [fit])

  return (
    <View
      ref={box}
      role="img"
      aria-label={`${map.name}, ${view === 'rgb' ? labels.allChannels : labels.channelOf(view.toUpperCase())}`}
      onPointerDown={(event) => {
        drag.current = at(event)
        event.currentTarget.setPointerCapture(event.pointerId)
      }}
      onPointerUp={() => {
        drag.current = null
      }}
      onPointerMove={moved}
      onPointerLeave={() => setTexel(null)}
      onDoubleClick={() => setZoom({ scale: 0, x: 0, y: 0 })}
    >
      {Array.from({ length: copies * copies }, (_, index) => (
        <Picture
          key={index}
          src={url}
          alt=""
          draggable={false}
          width={map.width * scale}
          height={map.height * scale}
          style={{
            left: left + (index % copies) * map.width * scale,
            top: top + Math.floor(index / copies) * map.height * scale,
            imageRendering: scale >= 1 ? 'pixelated' : 'auto',
            filter: turned && view !== 'r' && view !== 'b' ? 'url(#turn-green)' : undefined,
          }}
        />
      ))}
      <svg width={0} height={0} style={{ position: 'absolute' }} aria-hidden>
        <filter id="turn-green" colorInterpolationFilters="sRGB">
          <feComponentTransfer>
            {view === 'g' && <feFuncR type="table" tableValues="1 0" />}
            <feFuncG type="table" tableValues="1 0" />
            {view === 'g' && <feFuncB type="table" tableValues="1 0" />}
          </feComponentTransfer>
        </filter>
      </svg>
      <Readout map={map} view={view} texel={texel} zoom={scale} />
    </View>
  )
}

function Readout({
  map,
  view,
  texel,
  zoom,
}: {
  map: BoardMap
  view: string
  texel: { x: number; y: number } | null
  zoom: number
}) {
  const [settled, setSettled] = useState(texel)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(texel), 60)
    return () => clearTimeout(timer)
  }, [texel])
  const found = useQuery({
    queryKey: ['texel', map.sha256, settled?.x, settled?.y],
    queryFn: () =>
      get('/api/map-pictures/{sha256}/texel/{x}/{y}', {
        params: { path: { sha256: map.sha256, x: settled!.x, y: settled!.y } },
      }),
    enabled: settled !== null,
    staleTime: Infinity,
    gcTime: 10_000,
  })
  const text =
    texel && settled && found.data ? texelWords(map, view, settled, found.data) : zoomWords(zoom)
  return <ReadoutBox className="mono">{text}</ReadoutBox>
}

const zoomWords = (zoom: number) =>
  zoom >= 1 ? `${zoom.toFixed(zoom < 3 ? 1 : 0)} : 1` : `1 : ${(1 / zoom).toFixed(1)}`

/** A texel in one line: where it is, its codes and values, what they are in light, and the angle of a normal. */
function texelWords(map: BoardMap, view: string, at: { x: number; y: number }, texel: Texel) {
  const { codes, values, degrees_from_flat } = texel
  const letters = texel.channels
    .map((name, index) => ({ name, index }))
    .filter(({ name }) => view === 'rgb' || name === view)
  const several = letters.length > 2 && codes
  const words = [
    `${at.x}, ${at.y}`,
    ...letters.map(({ name, index }) => {
      const code = codes ? `${codes[index]} ` : ''
      return `${name.toUpperCase()} ${code}${several ? '' : values[index]!.toFixed(3)}`.trim()
    }),
  ]
  if (map.encoding === 'srgb' && letters.length > 1) {
    const colour = letters.filter(({ name }) => name !== 'a')
    words.push(
      labels.linearOf(colour.map(({ index }) => linear(values[index]!).toFixed(3)).join(' ')),
    )
  }
  if (Object.values(map.roles).includes('normal') && degrees_from_flat != null)
    words.push(labels.fromFlat(degrees_from_flat.toFixed(1)))
  return words.join(' · ')
}
