import { Button, MenuItem, TextField } from '@mui/material'
import { useEffect, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'

import { useEdit, useRecipe } from '../api/changes'
import { useStatus } from '../api/notices'
import { useBoard, useFindings, useMeshes, useProject, useProjectId } from '../api/queries'
import type { Finding } from '../api/types'
import { AskName } from '../components/AskName'
import { FirstSteps } from '../components/FirstSteps'
import { useKeys } from '../components/keys'
import { MapThumb } from '../components/MapThumb'
import { Picture } from '../components/Picture'
import { useRemembered } from '../components/remembered'
import { count } from '../words'
import { FindingView, where } from './FindingView'
import { ProjectRules } from './ProjectRules'
import { SEVERITIES, about, allEdits, grouped, isOpen, place, severityOf } from './groups'
import './checks.css'
import { labels } from '../words/checks'

const keyOf = (finding: Finding) => `${finding.code}|${finding.subject}|${finding.message}`

/** Findings by severity on the left, the chosen one with its evidence on the right. */
export function ChecksScreen() {
  const id = useProjectId()
  const asked = useFindings()
  const project = useProject().data
  const edit = useEdit()
  const recipe = useRecipe()
  const go = useNavigate()
  const [query, setQuery] = useSearchParams()
  const [least, setLeast] = useRemembered<string>('checks severity', 'note')
  const [kind, setKind] = useState('')
  const [at, setAt] = useState('')
  const [leaving, setLeaving] = useState(false)
  const [ruling, setRuling] = useState(false)
  const all = asked.data ?? []
  const kinds = [...new Set(all.map((finding) => finding.family))].sort()
  const places = [...new Set(all.map(({ subject }) => subject.split(' · ')[0] ?? subject))].sort()
  const findings = all.filter(
    (finding) =>
      (finding.severity === 'error' ||
        least === 'note' ||
        (least === 'warning' && finding.severity === 'warning')) &&
      (!kind || finding.family === kind) &&
      (!at || finding.subject === at || finding.subject.startsWith(`${at} · `)),
  )
  const groups = grouped(findings)
  const flat = groups.flatMap((group) => group.findings)
  const wanted = query.get('finding')
  // What was chosen may be mended by now: then the one that took its place.
  const [last, setLast] = useState(0)
  const found = flat.findIndex((finding) => keyOf(finding) === wanted)
  const index = found >= 0 ? found : Math.min(last, Math.max(0, flat.length - 1))
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
  const say = useStatus((state) => state.show)
  const code = chosen && labels.documentedInDocsChecksMd(chosen.code, chosen.family)
  useEffect(() => say(code ?? ''), [code, say])
  useKeys([
    { key: 'j', words: labels.keyNext, run: () => move(1) },
    { key: 'k', words: labels.keyPrevious, run: () => move(-1) },
    ...(chosen?.remedy && chosen.waived == null
      ? [{ key: 'f', words: labels.keyFix, run: () => mend([chosen]) }]
      : []),
    ...(chosen && chosen.waived == null
      ? [{ key: 'w', words: labels.keyIgnore, run: () => setLeaving(true) }]
      : []),
    ...(chosen
      ? [
          {
            key: 'g',
            words: labels.keyGoToIt,
            run: () => void go(`/projects/${id}/${place(chosen)}`),
          },
        ]
      : []),
  ])
  if (!asked.data)
    return (
      <div className="empty">
        <p>{asked.isError ? asked.error.message : labels.checking}</p>
      </div>
    )
  const document = project?.document
  if (document && !Object.keys({ ...document.maps, ...document.meshes }).length)
    return (
      <div className="empty">
        <h1>{labels.nothingToCheckYet}</h1>
        <p>{labels.onceThereAreMapsOrMeshes}</p>
        <FirstSteps />
      </div>
    )
  const open = all.filter(isOpen).length
  const notes = all.filter((f) => f.severity === 'note' && f.waived == null).length
  const waived = all.filter((f) => f.waived != null).length
  return (
    <div className="screen checks">
      <section className="pane" aria-label={labels.findings}>
        <div className="bar">
          <h1>{labels.findings}</h1>
          <span className="small grow">
            {open} {labels.open} {notes} {labels.notes}
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
          <TextField
            select
            size="small"
            value={kinds.includes(kind as never) ? kind : ''}
            slotProps={{ htmlInput: { 'aria-label': labels.kind }, select: { displayEmpty: true } }}
            onChange={(event) => setKind(event.target.value)}
          >
            <MenuItem value="">{labels.allKinds}</MenuItem>
            {kinds.map((one) => (
              <MenuItem key={one} value={one}>
                {one}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            size="small"
            value={places.includes(at) ? at : ''}
            sx={{ maxWidth: 130 }}
            slotProps={{
              htmlInput: { 'aria-label': labels.where },
              select: { displayEmpty: true },
            }}
            onChange={(event) => setAt(event.target.value)}
          >
            <MenuItem value="">{labels.everywhere}</MenuItem>
            {places.map((one) => (
              <MenuItem key={one} value={one}>
                {one}
              </MenuItem>
            ))}
          </TextField>
        </div>
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
          {SEVERITIES.map(({ key, words, glyph, tone }) => {
            const those = groups.filter((one) => severityOf(one.findings[0]!) === key)
            if (those.length === 0) return null
            const number = those.reduce((sum, one) => sum + one.findings.length, 0)
            return (
              <section key={key} aria-label={words}>
                <h2 className={`finding-head ${tone}`}>
                  {glyph} {words} <span className="small">{number}</span>
                </h2>
                {those.map((one) => {
                  const first = one.findings[0]!
                  const fixes = one.findings.filter((f) => f.remedy && f.waived == null)
                  const several = one.findings.length > 1
                  return (
                    <div
                      key={one.key}
                      className="finding-row"
                      data-chosen={one === group || undefined}
                    >
                      <button
                        className="plain"
                        aria-current={one === group}
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
                            {several ? '' : ` · ${first.message}`}
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
                    </div>
                  )
                })}
              </section>
            )
          })}
        </div>
        <div className="bar finding-actions">
          <Button onClick={() => setRuling(true)}>{labels.projectRules}</Button>
          <span className="small">
            {asked.isPlaceholderData ? labels.checking2 : labels.upToDate}
          </span>
        </div>
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
        {asked.isPlaceholderData
          ? ''
          : count(open, labels.findingToLookAt, labels.findingsToLookAt)}
      </span>
    </div>
  )
}

/** The picture of what a finding is about, small. */
function Thumb({ finding }: { finding: Finding }) {
  const { kind, name, part } = about(finding.subject)
  const board = useBoard().data ?? []
  const meshes = useMeshes().data ?? []
  const materials = useProject().data?.document.materials
  if (kind === 'map')
    return <MapThumb sha256={board.find((map) => map.name === name)?.sha256} side={44} />
  if (kind === 'material') {
    const inputs = materials?.[name]?.inputs ?? {}
    const feed = (part && inputs[part as keyof typeof inputs]) || inputs.base_color
    const map = feed?.map ? board.find((one) => one.name === feed.map) : undefined
    return <MapThumb sha256={map?.sha256} side={44} />
  }
  const mesh = meshes.find((one) => one.name === name)
  const slot = mesh?.slots.findIndex((one) => one.name === part) ?? -1
  if (!mesh?.measured || slot < 0) return <MapThumb sha256={null} side={44} />
  return (
    <Picture
      className="thumb"
      src={`/api/mesh-evidence/${mesh.key}/${finding.code}/${slot}.png`}
      width={44}
      height={44}
      alt=""
      loading="lazy"
    />
  )
}
