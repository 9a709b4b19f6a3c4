import { ScenePart } from './styles'
import { PLAIN_GROUND, PLAIN_SUN } from '../api/tables'
import { Autocomplete, Button, Checkbox, FormControlLabel, TextField } from '@mui/material'
import { useEffect, useState } from 'react'

import { useEdit } from '../api/changes'
import type { Document } from '../api/types'
import { AskName } from '../components/AskName'
import { NumberField } from '../components/NumberField'
import { usePanoramas } from '../viewport/PanoramaPick'
import { seeFrom, useCameraApi } from './cameraApi'
import { labels } from '../words/scene'

type Scene = NonNullable<Document['scene']>

/** What everything stands on. */
export function GroundFields({ scene, materials }: { scene: Scene; materials: string[] }) {
  const edit = useEdit()
  const ground = scene.ground ?? null
  return (
    <ScenePart aria-label={labels.ground}>
      <FormControlLabel
        label={labels.ground}
        control={
          <Checkbox
            checked={ground !== null}
            onChange={(event) =>
              void edit({ kind: 'set-ground', change: event.target.checked ? {} : null })
            }
          />
        }
      />
      {ground && (
        <>
          <Autocomplete
            autoHighlight
            options={materials}
            value={ground.material ?? null}
            onChange={(_, material) => void edit({ kind: 'set-ground', change: { material } })}
            renderInput={(params) => (
              <TextField {...params} label={labels.itsMaterial} placeholder={labels.plainGrey} />
            )}
          />
          <div className="two">
            <NumberField
              label={labels.sideM}
              value={ground.size ?? PLAIN_GROUND.size}
              limits={[0.01, 10000]}
              done={(size) => void edit({ kind: 'set-ground', change: { size } })}
            />
            <NumberField
              label={labels.mapCoversM}
              value={ground.tile ?? PLAIN_GROUND.tile}
              limits={[0.001, 10000]}
              done={(tile) => void edit({ kind: 'set-ground', change: { tile } })}
            />
          </div>
        </>
      )}
    </ScenePart>
  )
}

/** A sun beside the light set-up. */
export function SunFields({ scene }: { scene: Scene }) {
  const edit = useEdit()
  const sun = scene.sun ?? null
  const field = (
    label: string,
    key: 'turn' | 'height' | 'strength',
    value: number,
    limits: readonly [number, number],
  ) => (
    <NumberField
      label={label}
      value={value}
      limits={limits}
      done={(next) => void edit({ kind: 'set-sun', change: { [key]: next } })}
    />
  )
  return (
    <ScenePart aria-label={labels.sun}>
      <FormControlLabel
        label={labels.sunWithShadows}
        control={
          <Checkbox
            checked={sun !== null}
            onChange={(event) =>
              void edit({ kind: 'set-sun', change: event.target.checked ? {} : null })
            }
          />
        }
      />
      {sun && (
        <div className="three">
          {field(labels.from, 'turn', sun.turn ?? PLAIN_SUN.turn, [-360, 360])}
          {field(labels.height, 'height', sun.height ?? PLAIN_SUN.height, [0, 90])}
          {field(labels.strength, 'strength', sun.strength ?? PLAIN_SUN.strength, [0, 100])}
        </div>
      )}
    </ScenePart>
  )
}

/** Light from all around, by a map of the project. */
export function PanoramaField({ scene }: { scene: Scene }) {
  const edit = useEdit()
  const known = usePanoramas().map((map) => map.name)
  const chosen = scene.panorama ?? null
  if (known.length === 0 && chosen === null)
    return (
      <ScenePart aria-label={labels.panorama}>
        <p className="small">{labels.litByTheSetUpBelow}</p>
      </ScenePart>
    )
  return (
    <ScenePart aria-label={labels.panorama}>
      <Autocomplete
        autoHighlight
        options={known}
        value={chosen}
        onChange={(_, map) => void edit({ kind: 'set-panorama', map })}
        renderInput={(params) => (
          <TextField
            {...params}
            label={labels.litByAPanorama}
            placeholder={labels.theLightSetUpBelow}
          />
        )}
      />
    </ScenePart>
  )
}

/** Places of the camera that were kept. */
export function Views({ scene }: { scene: Scene }) {
  const edit = useEdit()
  const hand = useCameraApi((state) => state.hand)
  const [asking, ask] = useState(false)
  useEffect(() => () => useCameraApi.getState().set({ wanted: null }), [])
  const views = Object.entries(scene.views ?? {})
  return (
    <ScenePart aria-label={labels.keptViews}>
      <div className="row">
        <h2 className="grow">{labels.views}</h2>
        <Button disabled={!hand} title={labels.keepFromWhereTheSceneIs} onClick={() => ask(true)}>
          {labels.saveThisView}
        </Button>
      </div>
      {views.length === 0 && <p className="small">{labels.aViewThatIsKeptIs}</p>}
      {views.map(([name, view]) => (
        <div key={name} className="row">
          <button
            className="link grow ellipsis"
            title={labels.seeTheSceneFrom(name)}
            onClick={() => seeFrom({ position: [...view.position], target: [...view.target] })}
          >
            {name}
          </button>
          <Button
            variant="text"
            aria-label={labels.deleteTheView(name)}
            onClick={() => void edit({ kind: 'keep-view', name, view: null })}
          >
            {labels.delete}
          </Button>
        </div>
      ))}
      {asking && (
        <AskName
          title={labels.saveThisViewTitle}
          label={labels.name}
          initial={labels.view(views.length + 1)}
          hint={labels.aViewOfThatNameIs}
          close={() => ask(false)}
          done={(name) => {
            if (hand) void edit({ kind: 'keep-view', name, view: { ...hand.seen() } })
          }}
        />
      )}
    </ScenePart>
  )
}
