import { Box } from '@mui/material'
import { useStatus } from '../api/notices'
import { useRemembered } from '../components/remembered'
import { shownPanorama, usePanorama } from './panorama'
import { LIGHTS, useView } from './view'
import { labels } from '../words/viewport'

/** The light set-ups, one to be chosen. */
export function LightTabs() {
  const { light, setLight, toneMapped } = useView()
  const panorama = usePanorama((state) => shownPanorama(state)?.name ?? null)
  const drop = usePanorama((state) => state.drop)
  const [, remember] = useRemembered<string | null>('panorama', null)
  const show = useStatus((state) => state.show)
  return (
    <Box
      className="tabs"
      role="group"
      aria-label={labels.light}
      sx={{ background: 'var(--surface)' }}
    >
      {LIGHTS.map((entry) => (
        <button
          key={entry.key}
          className="tab"
          style={{
            padding: '5px 4px',
            whiteSpace: 'nowrap',
            fontSize: panorama || toneMapped ? 11.5 : undefined,
          }}
          aria-pressed={light === entry.key && panorama === null}
          onClick={() => {
            drop()
            remember(null)
            setLight(entry.key)
          }}
          onMouseEnter={() => show(entry.shows)}
        >
          {entry.words}
        </button>
      ))}
      {panorama && (
        <span className="chip" title={labels.litByNotByTheSet(panorama)}>
          {labels.panorama}
        </span>
      )}
      {toneMapped && (
        <span className="chip amber" title={labels.brightLightIsTonedDownColours}>
          {labels.tonedDown}
        </span>
      )}
    </Box>
  )
}
