import { FindingActions } from './styles'
import { styled } from '@mui/material/styles'
import { Button, MenuItem, TextField } from '@mui/material'
import { useEffect, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'

import { useEdit, useRecipe } from '../api/changes'
import { useStatus } from '../api/notices'
import { useBoard, useFindings, useMeshes, useProject, useProjectId } from '../api/queries'
import type { Document, Finding } from '../api/types'
import { AskName } from '../components/AskName'
import { FirstSteps } from '../components/FirstSteps'
import { useKeys } from '../components/keys'
import { MapThumb } from '../components/MapThumb'
import { Picture } from '../components/Picture'
import { useRemembered } from '../components/remembered'
import { count } from '../words'
import { FindingView, where } from './FindingView'
import { ProjectRules } from './ProjectRules'
import {
  type Group,
  SEVERITIES,
  about,
  allEdits,
  grouped,
  isOpen,
  place,
  severityOf,
} from './groups'
import { labels } from '../words/checks'

const FindingRow = styled('div')({
  display: 'flex',
  alignItems: 'center',
  gap: 12,
  paddingRight: 14,
  borderBottom: '1px solid var(--line)',
  borderLeft: '3px solid transparent',
  '&[data-chosen]': {
    background: 'var(--raised)',
    borderLeftColor: 'var(--accent)',
  },
  '& > .plain': {
    flex: 1,
    minWidth: 0,
    display: 'grid',
    gridTemplateColumns: '18px 46px 1fr',
    gap: 12,
    alignItems: 'center',
    minHeight: 62,
    padding: '8px 0 8px 11px',
  },
  '& > .plain > span:last-child': {
    display: 'grid',
    minWidth: 0,
  },
  '& .small': {
    overflow: 'hidden',
    display: '-webkit-box',
    webkitBoxOrient: 'vertical',
    webkitLineClamp: '2',
  },
  '& > .chip': {
    flex: 'none',
    cursor: 'pointer',
    padding: '3px 8px',
    color: 'var(--accent)',
  },
})

const FindingHead = styled('h2')({
  position: 'sticky',
  top: 0,
  zIndex: 1,
  padding: '8px 14px',
  background: 'var(--ground)',
  borderBottom: '1px solid var(--line)',
})

const ChecksBox = styled('div')({
  gridTemplateColumns: 'minmax(0, 540fr) minmax(0, 740fr)',
  '& .bar .MuiTextField-root': {
    flex: 'none',
  },
})

const keyOf = (finding: Finding) => `${finding.code}|${finding.subject}|${finding.message}`

/** Which findings are shown: the least severity, a kind, and a place. */
function useFilter(all: Finding[]) {
  const [least, setLeast] = useRemembered<string>('checks severity', 'note')
  const [kind, setKind] = useState('')
  const [at, setAt] = useState('')
  const reaches = (severity: string) =>
    severity === 'error' || least === 'note' || (least === 'warning' && severity === 'warning')
  const findings = all.filter(
    (finding) =>
      reaches(finding.severity) &&
      (!kind || finding.family === kind) &&
      (!at || finding.subject === at || finding.subject.startsWith(`${at} · `)),
  )
  return { findings, least, setLeast, kind, setKind, at, setAt }
}

/** Findings by severity on the left, the chosen one with its evidence on the right. */
export function ChecksScreen() {
  const asked = useFindings()
  const document = useProject().data?.document
  if (!asked.data)
    return (
      <div className="empty">
        <p>{asked.isError ? asked.error.message : labels.checking}</p>
      </div>
    )
  if (document && !Object.keys({ ...document.maps, ...document.meshes }).length)
    return (
      <div className="empty">
        <h1>{labels.nothingToCheckYet}</h1>
        <p>{labels.onceThereAreMapsOrMeshes}</p>
        <FirstSteps />
      </div>
    )
  return <Findings all={asked.data} isChecking={asked.isPlaceholderData} document={document} />
}

/** The place of a finding; where it is gone, of that which took its place. */
function indexOf(findings: Finding[], wanted: string | null, last: number): number {
  const found = findings.findIndex((finding) => keyOf(finding) === wanted)
  return found >= 0 ? found : Math.min(last, Math.max(0, findings.length - 1))
}

function Findings({
  all,
  isChecking,
  document,
}: {
  all: Finding[]
  isChecking: boolean
  document: Document | undefined
}) {
  const id = useProjectId()
  const edit = useEdit()
  const recipe = useRecipe()
  const go = useNavigate()
  const [query, setQuery] = useSearchParams()
  const [leaving, setLeaving] = useState(false)
  const [ruling, setRuling] = useState(false)
  const filter = useFilter(all)
  const groups = grouped(filter.findings)
  const flat = groups.flatMap((group) => group.findings)
  const wanted = query.get('finding')
  // What was chosen may be mended by now: then the one that took its place.
  const [last, setLast] = useState(0)
  const index = indexOf(flat, wanted, last)
  const chosen = flat[index]
  const group = groups.find((one) => chosen && one.findings.includes(chosen))
  const choose = (finding: Finding) => {
    setLast(flat.indexOf(finding))
    setQuery({ finding: keyOf(finding) }, { replace: true })
  }
  const move = (by: number) => {
    const next = groups[(group ? groups.indexOf(group) : 0) + by]?.findings[0]
    if (next) choose(next)
  }
  const mend = (these: Finding[]) => {
    setLast(index)
    const edits = allEdits(these)
    if (edits.length) void edit(...edits)
    for (const { remedy } of these)
      if (remedy?.mesh && remedy.step) void recipe(remedy.mesh, { append: remedy.step })
  }
  useFindingKeys(chosen, {
    move,
    mend,
    ignore: () => setLeaving(true),
    goTo: (finding) => void go(`/projects/${id}/${place(finding)}`),
  })
  return (
    <ChecksBox className="screen checks">
      <section className="pane" aria-label={labels.findings}>
        <FindingFilters all={all} {...filter} />
        <div className="scroll" tabIndex={0} aria-label={labels.listOfFindings}>
          {flat.length === 0 && (
            <div className="empty">
              <h2>{labels.nothingFound}</h2>
              <p>
                {all.length > 0
                  ? labels.nothingOfThisKindIsHere
                  : labels.filesEncodingsFeedsSlotsUvsAnd(document?.target)}
              </p>
            </div>
          )}
          <FindingGroups groups={groups} current={group} choose={choose} mend={mend} />
        </div>
        <FindingActions className="bar">
          <Button onClick={() => setRuling(true)}>{labels.projectRules}</Button>
          <span className="small">{isChecking ? labels.checkingAsk : labels.upToDate}</span>
        </FindingActions>
      </section>
      {chosen && group ? (
        <FindingView
          group={group}
          finding={chosen}
          choose={choose}
          mend={mend}
          leave={() => setLeaving(true)}
          countAgain={() =>
            void edit({ kind: 'unwaive', code: chosen.code, subject: chosen.subject })
          }
        />
      ) : (
        <div className="pane" />
      )}
      {leaving && chosen && (
        <AskName
          title={labels.ignoreThisFinding}
          label={labels.because}
          initial=""
          hint={labels.theReasonStandsInTheProject(chosen.title, chosen.subject)}
          close={() => setLeaving(false)}
          done={(reason) =>
            void edit({ kind: 'waive', code: chosen.code, subject: chosen.subject, reason })
          }
        />
      )}
      {ruling && document && <ProjectRules document={document} close={() => setRuling(false)} />}
      <span className="sr" role="status">
        {isChecking
          ? ''
          : count(all.filter(isOpen).length, labels.findingToLookAt, labels.findingsToLookAt)}
      </span>
    </ChecksBox>
  )
}

/** The keys that work on the chosen finding, and where it is documented, at the foot. */
function useFindingKeys(
  chosen: Finding | undefined,
  to: {
    move: (by: number) => void
    mend: (these: Finding[]) => void
    ignore: () => void
    goTo: (finding: Finding) => void
  },
) {
  const say = useStatus((state) => state.show)
  const code = chosen && labels.documentedInDocsChecksMd(chosen.code, chosen.family)
  useEffect(() => say(code ?? ''), [code, say])
  const open = chosen?.waived == null ? chosen : undefined
  useKeys([
    { key: 'j', words: labels.keyNext, run: () => to.move(1) },
    { key: 'k', words: labels.keyPrevious, run: () => to.move(-1) },
    ...(open?.remedy ? [{ key: 'f', words: labels.keyFix, run: () => to.mend([open]) }] : []),
    ...(open ? [{ key: 'w', words: labels.keyIgnore, run: to.ignore }] : []),
    ...(chosen ? [{ key: 'g', words: labels.keyGoToIt, run: () => to.goTo(chosen) }] : []),
  ])
}

/** How many there are, and which of them are shown. */
function FindingFilters({
  all,
  least,
  setLeast,
  kind,
  setKind,
  at,
  setAt,
}: { all: Finding[] } & Omit<ReturnType<typeof useFilter>, 'findings'>) {
  const kinds = [...new Set(all.map((finding) => finding.family as string))].sort()
  const places = [...new Set(all.map(({ subject }) => subject.split(' · ')[0] ?? subject))].sort()
  const notes = all.filter((f) => f.severity === 'note' && f.waived == null).length
  const waived = all.filter((f) => f.waived != null).length
  return (
    <div className="bar">
      <h1>{labels.findings}</h1>
      <span className="small grow">
        {all.filter(isOpen).length} {labels.open} {notes} {labels.notes}
        {waived > 0 && labels.left(waived)}
      </span>
      <TextField
        select
        size="small"
        value={least}
        slotProps={{ htmlInput: { 'aria-label': labels.severity } }}
        onChange={(event) => setLeast(event.target.value)}
      >
        <MenuItem value="note">{labels.all}</MenuItem>
        <MenuItem value="warning">{labels.noNotes}</MenuItem>
        <MenuItem value="error">{labels.errors}</MenuItem>
      </TextField>
      <Among label={labels.kind} any={labels.allKinds} value={kind} choices={kinds} set={setKind} />
      <Among label={labels.where} any={labels.everywhere} value={at} choices={places} set={setAt} />
    </div>
  )
}

function Among({
  label,
  any,
  value,
  choices,
  set,
}: {
  label: string
  any: string
  value: string
  choices: string[]
  set: (value: string) => void
}) {
  return (
    <TextField
      select
      size="small"
      value={choices.includes(value) ? value : ''}
      sx={{ maxWidth: 130 }}
      slotProps={{ htmlInput: { 'aria-label': label }, select: { displayEmpty: true } }}
      onChange={(event) => set(event.target.value)}
    >
      <MenuItem value="">{any}</MenuItem>
      {choices.map((one) => (
        <MenuItem key={one} value={one}>
          {one}
        </MenuItem>
      ))}
    </TextField>
  )
}

function FindingGroups({
  groups,
  current,
  choose,
  mend,
}: {
  groups: Group[]
  current: Group | undefined
  choose: (finding: Finding) => void
  mend: (these: Finding[]) => void
}) {
  return SEVERITIES.map(({ key, words, glyph, tone }) => {
    const those = groups.filter((one) => severityOf(one.findings[0]!) === key)
    if (those.length === 0) return null
    const number = those.reduce((sum, one) => sum + one.findings.length, 0)
    return (
      <section key={key} aria-label={words}>
        <FindingHead className={`${tone}`}>
          {glyph} {words} <span className="small">{number}</span>
        </FindingHead>
        {those.map((one) => {
          const first = one.findings[0]!
          const fixes = one.findings.filter((f) => f.remedy && f.waived == null)
          return (
            <FindingRow
              key={one.key}
              className="finding-row"
              data-chosen={one === current || undefined}
            >
              <button
                className="plain"
                aria-current={one === current}
                onClick={() => choose(first)}
              >
                <b className={tone} aria-hidden>
                  {glyph}
                </b>
                <Thumb finding={first} />
                <span>
                  <b>{first.title}</b>
                  <span className="small">
                    {where(one.findings)}
                    {one.findings.length > 1 ? '' : ` · ${first.message}`}
                  </span>
                </span>
              </button>
              {fixes.length > 0 && (
                <button className="chip" onClick={() => mend(fixes)}>
                  {first.remedy?.label ?? fixes[0]!.remedy!.label}
                  {fixes.length > 1 ? ` · ${fixes.length}` : ''}
                  <span className="sr">{labels.of(first.title)}</span>
                </button>
              )}
            </FindingRow>
          )
        })}
      </section>
    )
  })
}

/** The picture of what a finding is about, small. */
function Thumb({ finding }: { finding: Finding }) {
  const { kind, name, part } = about(finding.subject)
  if (kind === 'map') return <MapOf name={name} />
  if (kind === 'material') return <FeedOf material={name} input={part} />
  return <SlotOf mesh={name} slot={part} code={finding.code} />
}

function MapOf({ name }: { name: string | undefined }) {
  const map = (useBoard().data ?? []).find((one) => one.name === name)
  return <MapThumb sha256={map?.sha256} side={44} />
}

/** The map that feeds an input, else the base colour. */
function FeedOf({ material, input }: { material: string; input: string | undefined }) {
  const inputs = useProject().data?.document.materials?.[material]?.inputs ?? {}
  const feed = (input && inputs[input as keyof typeof inputs]) || inputs.base_color
  return <MapOf name={feed?.map ?? undefined} />
}

function SlotOf({ mesh: name, slot: part, code }: { mesh: string; slot?: string; code: string }) {
  const mesh = (useMeshes().data ?? []).find((one) => one.name === name)
  const slot = mesh?.slots.findIndex((one) => one.name === part) ?? -1
  if (!mesh?.measured || slot < 0) return <MapThumb sha256={null} side={44} />
  return (
    <Picture
      className="thumb"
      src={`/api/mesh-evidence/${mesh.key}/${code}/${slot}.png`}
      width={44}
      height={44}
      alt=""
      loading="lazy"
    />
  )
}
