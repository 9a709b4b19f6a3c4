import { Button, MenuItem, TextField } from '@mui/material'
import { useEffect, useRef, useState } from 'react'

import { useNotices } from '../api/notices'
import { useBoard, useProject } from '../api/queries'
import type { BoardMap } from '../api/types'
import { useRemembered } from '../components/remembered'
import { useImport } from '../components/useImport'
import { mayBePanorama, panoramaFile, panoramasOf, usePanorama } from './panorama'
import { labels } from '../words/viewport'

/** Light from a panorama instead of the set-up's: a map of the project, or a file that can become one. */
export function PanoramaPick() {
  const own = usePanorama((state) => state.own)
  const { take, drop } = usePanorama.getState()
  const say = useNotices((state) => state.say)
  const known = usePanoramas()
  const bringIn = useImport()
  const [kept, remember] = useRemembered<string | null>('panorama', null)
  const [loose, setLoose] = useState<File | null>(null)
  const field = useRef<HTMLInputElement>(null)
  const choose = useRef<HTMLButtonElement>(null)
  const without = () => {
    // The button goes with it: the keyboard stays in the menu.
    choose.current?.focus()
    setLoose(null)
    remember(null)
    drop()
  }
  return (
    <>
      {known.length > 0 && (
        <TextField
          select
          size="small"
          label={labels.panoramaOfTheProject}
          value={known.some((map) => map.name === kept) ? kept : ''}
          onChange={(event) => (event.target.value ? remember(event.target.value) : without())}
        >
          <MenuItem value="">{labels.noneTheLightSetUps}</MenuItem>
          {known.map((map) => (
            <MenuItem key={map.name} value={map.name}>
              {map.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      <div className="row">
        <Button
          ref={choose}
          title={labels.lightFromAPictureOfAll}
          onClick={() => field.current?.click()}
        >
          {own ? labels.anotherPanorama : labels.aPanoramaOfYourOwn}
        </Button>
        <input
          ref={field}
          type="file"
          hidden
          accept=".hdr,.exr"
          aria-label={labels.panoramaForTheStage}
          onChange={(event) => {
            const file = event.target.files?.[0]
            event.target.value = ''
            if (!file) return
            remember(null)
            take(file).then(
              () => setLoose(file),
              (problem) => say(problem as Error),
            )
          }}
        />
        {own && (
          <>
            <span className="small grow ellipsis" title={own.name}>
              {own.name}
            </span>
            {loose && loose.name === own.name && (
              <Button
                variant="text"
                title={labels.bringItInAsAMap}
                onClick={() => {
                  bringIn([loose])
                  setLoose(null)
                }}
              >
                {labels.keepWithProject}
              </Button>
            )}
            <Button variant="text" onClick={without}>
              {labels.without}
            </Button>
          </>
        )}
      </div>
    </>
  )
}

/** The panoramas of the project. The board is asked only where a file could be one: every edit asks it anew. */
export function usePanoramas(wanted = true): BoardMap[] {
  const maps = Object.values(useProject().data?.document.maps ?? {})
  return panoramasOf(useBoard(wanted && maps.some((map) => mayBePanorama(map.file))).data)
}

/** The panorama that was chosen for the stage of this project, also after a reload. */
export function useKeptPanorama(needed: boolean) {
  const [kept] = useRemembered<string | null>('panorama', null)
  const known = usePanoramas(needed && kept !== null)
  useLit(needed ? known.find((map) => map.name === kept) : undefined, 'take')
}

/** Lights the stage by a map of the project while a screen is open. */
export function useLentPanorama(name: string | null) {
  const map = usePanoramas(name !== null).find((known) => known.name === name)
  useLit(map, 'lend')
  useEffect(() => () => void usePanorama.getState().lend(null), [map?.sha256])
}

function useLit(map: BoardMap | undefined, how: 'take' | 'lend') {
  const say = useNotices((state) => state.say)
  const sha256 = map?.sha256
  useEffect(() => {
    if (!map) return
    panoramaFile(map)
      .then((file) => usePanorama.getState()[how](file))
      .catch((problem) => say(problem as Error))
    // Another content of the same map is another panorama; the rest of the map's facts are not.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sha256])
}
