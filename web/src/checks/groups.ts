// Findings as the list shows them: those of one code and severity are one row.
import type { Edit, Finding } from '../api/types'
import { labels } from '../words/checks'

export interface Group {
  key: string
  findings: Finding[]
}

export const SEVERITIES: {
  key: Finding['severity'] | 'waived'
  words: string
  glyph: string
  tone: string
}[] = [
  { key: 'error', words: labels.wordErrors, glyph: '!', tone: 'brick' },
  { key: 'warning', words: labels.wordWarnings, glyph: '△', tone: 'amber' },
  { key: 'note', words: labels.wordNotes, glyph: '·', tone: 'quiet' },
  { key: 'waived', words: labels.wordIgnored, glyph: '–', tone: 'quiet' },
]

export type Weight = 'error' | 'warning' | 'note' | 'off'

/** What a project can make of a code. */
export const WEIGHTS: [Weight, string][] = [
  ['error', 'error'],
  ['warning', 'warning'],
  ['note', 'note'],
  ['off', 'off'],
]

export const isOpen = (finding: Finding) => finding.waived == null && finding.severity !== 'note'

export const severityOf = (finding: Finding) =>
  finding.waived == null ? finding.severity : 'waived'

/** Groups in the order of their severity, waived ones last. */
export function grouped(findings: Finding[]): Group[] {
  const groups = new Map<string, Finding[]>()
  for (const finding of findings) {
    const key = `${severityOf(finding)} ${finding.code}`
    groups.set(key, [...(groups.get(key) ?? []), finding])
  }
  const order = (key: string) => SEVERITIES.findIndex((entry) => key.startsWith(entry.key))
  return [...groups]
    .map(([key, members]) => ({ key, findings: members }))
    .sort((a, b) => order(a.key) - order(b.key))
}

/** The edits of all remedies of some findings, as one step; the same edit once. */
export function allEdits(findings: Finding[]): Edit[] {
  const edits = findings.flatMap((finding) => finding.remedy?.edits ?? [])
  return [...new Map(edits.map((edit) => [JSON.stringify(edit), edit])).values()] as Edit[]
}

export interface About {
  kind: 'map' | 'material' | 'mesh' | 'project'
  name: string
  /** The slot or the input. */
  part: string | undefined
}

/** What a subject is about. */
export function about(subject: string): About {
  const [, kind, rest] = /^(map|material|mesh) (.*)$/.exec(subject) ?? []
  if (kind === undefined || rest === undefined)
    return { kind: 'project', name: '', part: undefined }
  const [name = '', part] = rest.split(' · ')
  return { kind: kind as About['kind'], name, part }
}

/** Where a finding can be mended: the row of the sheet, the slot, and the faces that it is about. */
export function place(finding: Finding): string {
  const { kind, name, part } = about(finding.subject)
  const to = encodeURIComponent(name)
  if (kind === 'map') return `maps/${to}`
  if (kind === 'material')
    return `materials/${to}${part ? `?open=${part.replaceAll(' ', '_')}` : ''}`
  if (kind === 'mesh') {
    const query = new URLSearchParams({ ...(part ? { slot: part } : {}), fault: finding.code })
    return `meshes/${to}?${query.toString()}`
  }
  return 'export'
}

/** What the way there is called. */
export const placeWords = (finding: Finding) =>
  ({
    map: labels.showTheMap,
    material: labels.showInFeedSheet,
    mesh: labels.showOnTheMesh,
    project: labels.showThePackPlan,
  })[about(finding.subject).kind]
