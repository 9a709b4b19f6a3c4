import { Box, Button } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useProject } from '../api/queries'
import type { MapDetail } from '../api/types'
import { ROLE_WORDS } from '../words'
import { labels } from '../words/maps'
import { CompareGloss } from './CompareGloss'
import { Correct } from './Correct'
import { RemoveMaps } from './RemoveMaps'

interface Props {
  detail: MapDetail
  /** Whether the map is shown with its green flipped. */
  turned: boolean
  setTurned: (turned: boolean) => void
}

/** The roles in words, each once. */
const inWords = (roles: MapDetail['judged_roles']) =>
  Object.values(roles)
    .map((role) => ROLE_WORDS[role].toLowerCase())
    .join(' · ') || labels.wordUnknown

/** Whether a person or a file's own words said what the map is, so nothing is left to confirm. */
const isConfirmed = ({ map }: MapDetail) => map.by_hand || map.said_by != null

/** Whether a person said something else than name and pixels say. */
const differs = ({ map, judged_roles }: MapDetail) =>
  map.by_hand && JSON.stringify(map.roles) !== JSON.stringify(judged_roles)

/** What we think a map is and why, with what a person may say instead. */
export function Judged({ detail, turned, setTurned }: Props) {
  return (
    <Box component="section" sx={{ p: '10px 14px' }} aria-label={labels.whatWeThinkItIs}>
      <Verdict detail={detail} />
      <Box className="row wrap" sx={{ my: 1 }}>
        <Stating detail={detail} />
        <Looking detail={detail} turned={turned} setTurned={setTurned} />
        <Keeping detail={detail} />
      </Box>
      <Reasons detail={detail} />
    </Box>
  )
}

const TONES = { sure: 'own', conflict: 'brick' } as Record<string, string>
const MARKS = {
  sure: '',
  conflict: labels.conflictMark,
} as Record<string, string>

function Verdict({ detail }: { detail: MapDetail }) {
  const { map } = detail
  const roles = inWords(map.roles)
  const by = map.by_hand
    ? labels.setByYou
    : map.said_by
      ? labels.setBy(map.said_by)
      : labels.detected
  return (
    <div className="row wrap">
      <h2>
        {by}: {detail.role === 'packed' && !isConfirmed(detail) ? labels.packed(roles) : roles}
      </h2>
      {!isConfirmed(detail) && (
        <span className={`chip ${TONES[map.state] ?? 'amber'}`}>
          {MARKS[map.state] ?? labels.uncertainMark}
          {Math.round(map.confidence * 100)} %
        </span>
      )}
      {map.normal_y && (
        <span className="chip">
          {labels.green(map.normal_y === '-' ? labels.downMinusY : labels.upPlusY)}
        </span>
      )}
    </div>
  )
}

/** Confirm it, change it, or say that it is packed. */
function Stating({ detail }: { detail: MapDetail }) {
  const [correcting, setCorrecting] = useState<'whole' | 'packed' | null>(null)
  const edit = useEdit()
  const { map } = detail
  const mayBePacked =
    !isConfirmed(detail) &&
    map.state !== 'sure' &&
    map.channels > 2 &&
    map.roles.rgb === 'base_color'
  return (
    <>
      {!map.by_hand && (
        <Button
          variant="contained"
          onClick={() => void edit({ kind: 'set-map', maps: [map.name] })}
        >
          {labels.confirm}
        </Button>
      )}
      <Button onClick={() => setCorrecting('whole')}>{labels.change}</Button>
      {mayBePacked && <Button onClick={() => setCorrecting('packed')}>{labels.itIsPacked}</Button>}
      {correcting && (
        <Correct
          map={map}
          startsPacked={correcting === 'packed'}
          close={() => setCorrecting(null)}
        />
      )}
    </>
  )
}

/** Look at it with green flipped, or as gloss beside roughness. */
function Looking({ detail: { map }, turned, setTurned }: Props) {
  const [comparing, setComparing] = useState(false)
  const glossy = Object.entries(map.roles).find(
    ([, role]) => role === 'roughness' || role === 'gloss',
  )
  return (
    <>
      {map.normal_y && (
        <Button aria-pressed={turned} onClick={() => setTurned(!turned)}>
          {turned ? labels.showAsStored : labels.showGreenFlipped}
        </Button>
      )}
      {glossy && (
        <Button onClick={() => setComparing(true)}>
          {glossy[1] === 'gloss' ? labels.compareAsRoughness : labels.compareAsGloss}
        </Button>
      )}
      {glossy && comparing && (
        <CompareGloss map={map} channels={glossy[0]} close={() => setComparing(false)} />
      )}
    </>
  )
}

/** Make a rule of what was said, remove the map, or go back to what was judged. */
function Keeping({ detail }: { detail: MapDetail }) {
  const [removing, setRemoving] = useState(false)
  const edit = useEdit()
  const rules = useProject().data?.document.naming ?? []
  const { map } = detail
  const isRule = rules.some(
    (rule) =>
      rule.ending === detail.ending && JSON.stringify(rule.roles) === JSON.stringify(map.roles),
  )
  return (
    <>
      {map.by_hand && detail.ending && !isRule && (
        <Button onClick={() => void edit({ kind: 'add-naming-rule', map: map.name })}>
          {labels.treatAllMapsLikeThis(detail.ending)}
        </Button>
      )}
      <Button onClick={() => setRemoving(true)}>{labels.remove}</Button>
      {differs(detail) && (
        <Button
          onClick={() =>
            void edit({
              kind: 'set-map',
              maps: [map.name],
              roles: detail.judged_roles,
              normal_y: (detail.judged_normal_y as '+' | '-' | null) ?? undefined,
            })
          }
        >
          {labels.takeWhatWeThink}
        </Button>
      )}
      {removing && <RemoveMaps names={[map.name]} close={() => setRemoving(false)} />}
    </>
  )
}

function Reasons({ detail }: { detail: MapDetail }) {
  return (
    <ul className="evidence">
      {differs(detail) && (
        <li>
          <span className="amber">△</span>
          <span>{labels.nameAndPixelsAloneSay(inWords(detail.judged_roles))}</span>
        </li>
      )}
      {detail.evidence.map((text) => (
        <li key={text}>
          <span className="accent">✓</span>
          <span>{text}</span>
        </li>
      ))}
      {detail.doubts.map((text) => (
        <li key={text}>
          <span className="amber">△</span>
          <span>{text}</span>
        </li>
      ))}
    </ul>
  )
}
