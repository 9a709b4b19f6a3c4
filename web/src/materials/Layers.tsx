import { Button, MenuItem, TextField } from '@mui/material'
import { useState } from 'react'

import { useBoard } from '../api/queries'
import type { Feed, InputName } from '../api/types'
import { Move } from './Controls'
import type { Layer } from './feed'
import { UNCHANGED, WIDE, defaultChannels } from './feed'

const OPS: Record<Layer['op'], string> = {
  multiply: 'multiplied by',
  add: 'plus',
  mix: 'covered by',
  normal: 'with the detail of',
}

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
  const wide = WIDE.includes(input)
  const fits = maps.filter((map) => !isNormal || map.channels >= 3)
  const replaced = (at: number, change: Partial<Layer>) =>
    layers.map((layer, i) => (i === at ? { ...layer, ...change } : layer))
  const add = (name: string) => {
    setAdding(false)
    const layer: Layer = {
      ...UNCHANGED,
      value: null,
      map: name,
      channels: isNormal
        ? 'rgb'
        : wide
          ? (maps.find((map) => map.name === name)?.channels ?? 1) >= 3
            ? 'rgb'
            : 'r'
          : defaultChannels(input),
      op: isNormal ? 'normal' : 'multiply',
      amount: 1,
      mask: null,
    }
    settle({ layers: [...layers, layer] })
  }
  return (
    <>
      {layers.map((layer, at) => (
        <fieldset key={at} className="layer">
          <legend className="small">
            {OPS[layer.op]} {layer.map ?? 'a constant'}
          </legend>
          <div className="row wrap">
            {!isNormal && (
              <TextField
                select
                label="How"
                value={layer.op}
                onChange={(event) =>
                  settle({ layers: replaced(at, { op: event.target.value as Layer['op'] }) })
                }
                sx={{ minWidth: 118 }}
              >
                {(['multiply', 'add', 'mix'] as const).map((op) => (
                  <MenuItem key={op} value={op}>
                    {OPS[op]}
                  </MenuItem>
                ))}
              </TextField>
            )}
            <TextField
              select
              label="Channel"
              value={layer.channels ?? 'r'}
              onChange={(event) =>
                settle({
                  layers: replaced(at, { channels: event.target.value as Layer['channels'] }),
                })
              }
              sx={{ minWidth: 84 }}
            >
              {(isNormal
                ? ['rgb']
                : [...(wide ? ['rgb'] : []), 'r', 'g', 'b', 'a', 'luminance']
              ).map((channel) => (
                <MenuItem key={channel} value={channel}>
                  {channel.length > 3 ? channel : channel.toUpperCase()}
                </MenuItem>
              ))}
            </TextField>
            <TextField
              select
              label="Only where"
              value={layer.mask?.map ?? ''}
              onChange={(event) =>
                settle({
                  layers: replaced(at, {
                    mask: event.target.value
                      ? { map: event.target.value, channels: 'r', invert: false }
                      : null,
                  }),
                })
              }
              sx={{ minWidth: 118 }}
            >
              <MenuItem value="">everywhere</MenuItem>
              {maps.map((map) => (
                <MenuItem key={map.name} value={map.name}>
                  {map.name}
                </MenuItem>
              ))}
            </TextField>
            {layer.mask && (
              <TextField
                select
                label="Mask channel"
                value={`${layer.mask.invert ? '-' : ''}${layer.mask.channels}`}
                onChange={(event) =>
                  settle({
                    layers: replaced(at, {
                      mask: {
                        map: layer.mask!.map,
                        channels: event.target.value.replace('-', '') as 'r',
                        invert: event.target.value.startsWith('-'),
                      },
                    }),
                  })
                }
                sx={{ minWidth: 96 }}
              >
                {['r', 'g', 'b', 'a', '-r', '-g', '-b', '-a'].map((channel) => (
                  <MenuItem key={channel} value={channel}>
                    {channel.startsWith('-')
                      ? `not ${channel[1]!.toUpperCase()}`
                      : channel.toUpperCase()}
                  </MenuItem>
                ))}
              </TextField>
            )}
            <Button onClick={() => settle({ layers: layers.filter((_, i) => i !== at) })}>
              Take off
            </Button>
          </div>
          <Move
            label="How much"
            value={layer.amount}
            max={1}
            limits={[0, 1]}
            attempt={(amount) => attempt({ layers: replaced(at, { amount }) })}
            settle={(amount) => settle({ layers: replaced(at, { amount }) })}
          />
        </fieldset>
      ))}
      {adding ? (
        <TextField
          select
          label={isNormal ? 'Detail normal map' : 'Map to lay over it'}
          value=""
          onChange={(event) => add(event.target.value)}
          slotProps={{ select: { defaultOpen: true, onClose: () => setAdding(false) } }}
        >
          {fits.map((map) => (
            <MenuItem key={map.name} value={map.name}>
              {map.name}
            </MenuItem>
          ))}
        </TextField>
      ) : (
        <button className="link" style={{ justifySelf: 'start' }} onClick={() => setAdding(true)}>
          {isNormal ? 'lay a detail normal over it' : 'lay another map over it'}
        </button>
      )}
    </>
  )
}
