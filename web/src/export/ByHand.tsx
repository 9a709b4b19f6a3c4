import { Box } from '@mui/material'
import type { Package, TrialResult } from '../api/types'
import { useRemembered } from '../components/remembered'
import { labels } from '../words/export'

/** What a person sets in the engine, to be ticked off; the ticks stay in this browser. */
export function ByHand({ pack, lines }: { pack: Package; lines: TrialResult['by_hand'] }) {
  const [kept, keep] = useRemembered<string>(`by hand ${pack.id} ${pack.made}`, '[]')
  if (!lines?.length) return null
  const done = JSON.parse(kept) as string[]
  const tick = (line: string, on: boolean) =>
    keep(JSON.stringify(on ? [...done, line] : done.filter((other) => other !== line)))
  return (
    <Box component="section" aria-label={labels.setManually} sx={{ padding: '12px 14px 0' }}>
      <h2>{labels.setManually}</h2>
      <p className="small">{labels.setTheseInTheEngineOne}</p>
      {[...new Set(lines.map((line) => line.material))].map((material) => {
        const own = lines.filter((line) => line.material === material)
        const slots = [...new Set(own.map((line) => line.slot).filter(Boolean))]
        return (
          <Box key={material} className="small" sx={{ padding: '2px 0' }}>
            <Box component="label" className="row" sx={{ gap: 0.75 }}>
              <input
                type="checkbox"
                checked={done.includes(material)}
                onChange={(event) => tick(material, event.target.checked)}
              />
              <b>{material}</b>
              {slots.length > 0 && <span className="quiet">{slots.join(', ')}</span>}
            </Box>
            <Box component="ul" sx={{ margin: 0, paddingLeft: 5.25 }}>
              {[...new Set(own.map((line) => line.text))].map((text) => (
                <li key={text}>{text}</li>
              ))}
            </Box>
          </Box>
        )
      })}
    </Box>
  )
}
