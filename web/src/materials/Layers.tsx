import { LayerBox } from './styles'
import { useState } from 'react'

import { useBoard } from '../api/queries'
import type { Feed, InputName } from '../api/types'
import { moved, useReorder } from '../components/reorder'
import type { Layer } from './feed'
import { UNCHANGED, WIDE, defaultChannels, firstValue } from './feed'
import { LayerCard, OPS } from './LayerCard'
import { MapChoice } from './MapChoice'
import { labels } from '../words/materials'

interface Props {
  input: InputName
  feed: Feed
  attempt: (change: Partial<Feed>) => void
  settle: (change: Partial<Feed>) => void
}

/** What lies over a feed, first to last: each a map or a constant, how it counts, and where, by a mask. */
export function Layers({ input, feed, attempt, settle }: Props) {
  const maps = useBoard().data ?? []
  const [adding, setAdding] = useState(false)
  const layers = feed.layers ?? []
  const isNormal = input === 'normal'
  const replaced = (at: number, change: Partial<Layer>) =>
    layers.map((layer, i) => (i === at ? { ...layer, ...change } : layer))
  const { handle, goal } = useReorder(layers.length, (from, to) =>
    settle({ layers: moved(layers, from, to) }),
  )
  const add = (source: Partial<Layer>) => {
    setAdding(false)
    const plain = { ...UNCHANGED, op: 'mix', amount: 1, mask: null, uv: null, wrap: null }
    settle({ layers: [...layers, { ...plain, ...source } as Layer] })
  }
  const addMap = (name: string) => {
    const channels = maps.find((map) => map.name === name)?.channels ?? 1
    add({
      value: null,
      map: name,
      channels: isNormal
        ? 'rgb'
        : WIDE.includes(input)
          ? channels >= 3
            ? 'rgb'
            : 'r'
          : defaultChannels(input),
      op: isNormal ? 'normal' : 'multiply',
    })
  }
  return (
    <>
      {layers.map((layer, at) => (
        <LayerBox key={at} className="layer" {...goal(at)}>
          <legend className="small" {...handle(at)}>
            {layers.length > 1 && <span aria-hidden>⠿ </span>}
            {OPS[layer.op]} {layer.map ?? labels.aConstant}
          </legend>
          <LayerCard
            input={input}
            layer={layer}
            attempt={(change) => attempt({ layers: replaced(at, change) })}
            settle={(change) => settle({ layers: replaced(at, change) })}
            takeOff={() => settle({ layers: layers.filter((_, i) => i !== at) })}
          />
        </LayerBox>
      ))}
      {adding ? (
        <MapChoice
          label={isNormal ? labels.detailNormalMap : labels.mapToLayOverIt}
          value={null}
          fits={(map) => !isNormal || map.channels >= 3}
          choose={(name) => name && addMap(name)}
          open
          closed={() => setAdding(false)}
        />
      ) : (
        <div className="row">
          <button className="link" onClick={() => setAdding(true)}>
            {isNormal ? labels.addDetailNormalLayer : labels.addMapLayer}
          </button>
          {!isNormal && (
            <button
              className="link"
              onClick={() => add({ value: firstValue(input), map: null, channels: null })}
            >
              {labels.addConstantLayer}
            </button>
          )}
        </div>
      )}
    </>
  )
}
