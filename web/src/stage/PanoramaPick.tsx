import { Button, MenuItem, TextField } from '@mui/material'
import { useEffect, useRef, useState } from 'react'

import { useNotices } from '../api/notices'
import { useBoard } from '../api/queries'
import { useRemembered } from '../components/remembered'
import { useBringIn } from '../components/useBringIn'
import { panoramaFile, panoramasOf, usePanorama } from './panorama'

/** Light from a panorama instead of the set-up's: a map of the project, or a file that can become one. */
export function PanoramaPick() {
  const own = usePanorama((state) => state.own)
  const { take, drop } = usePanorama.getState()
  const say = useNotices((state) => state.say)
  const known = panoramasOf(useBoard().data)
  const bringIn = useBringIn()
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
          label="Panorama of the project"
          value={known.some((map) => map.name === kept) ? kept : ''}
          onChange={(event) => (event.target.value ? remember(event.target.value) : without())}
        >
          <MenuItem value="">none, the light set-ups</MenuItem>
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
          title="Light from a picture of all directions: Radiance HDR or EXR"
          onClick={() => field.current?.click()}
        >
          {own ? 'Another panorama…' : 'A panorama of your own…'}
        </Button>
        <input
          ref={field}
          type="file"
          hidden
          accept=".hdr,.exr"
          aria-label="Panorama for the stage"
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
                title="Bring it in as a map, so that it is there after a reload, for others, and for the scene"
                onClick={() => {
                  bringIn([loose])
                  setLoose(null)
                }}
              >
                Keep with project
              </Button>
            )}
            <Button variant="text" onClick={without}>
              Without
            </Button>
          </>
        )}
      </div>
    </>
  )
}

/** The panorama that was chosen for the stage of this project, also after a reload. */
export function useKeptPanorama(needed: boolean) {
  const [kept] = useRemembered<string | null>('panorama', null)
  const map = panoramasOf(useBoard().data).find((known) => known.name === kept)
  const say = useNotices((state) => state.say)
  const sha256 = needed ? map?.sha256 : undefined
  useEffect(() => {
    if (!map || !sha256) return
    panoramaFile(map)
      .then((file) => usePanorama.getState().take(file))
      .catch((problem) => say(problem as Error))
    // Another content of the same map is another panorama; the rest of the map's facts are not.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sha256])
}

/** Lights the stage by a map of the project while a screen is open. */
export function useLentPanorama(name: string | null) {
  const map = panoramasOf(useBoard().data).find((known) => known.name === name)
  const say = useNotices((state) => state.say)
  const sha256 = map?.sha256
  useEffect(() => {
    if (!map) return
    const { lend } = usePanorama.getState()
    panoramaFile(map)
      .then(lend)
      .catch((problem) => say(problem as Error))
    return () => void lend(null)
    // As above.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sha256])
}
