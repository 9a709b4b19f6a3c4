import { Link } from 'react-router'

import { useFindings, useProject, useProjectId } from '../api/queries'
import type { Finding } from '../api/types'
import { count } from '../words'

const SEVERITIES: { key: Finding['severity']; words: string; glyph: string; tone: string }[] = [
  { key: 'error', words: 'Must be mended', glyph: '!', tone: 'brick' },
  { key: 'warning', words: 'Look at these', glyph: '△', tone: 'amber' },
  { key: 'note', words: 'Good to know', glyph: '·', tone: 'quiet' },
]

/** Where a finding can be mended: the row of the sheet, the slot, and the faces that it is about. */
function place(finding: Finding): string {
  const [, kind = '', name = ''] = /^(\w+) ([^·]+?)(?: ·.*)?$/.exec(finding.subject) ?? []
  const part = finding.subject.split(' · ')[1]
  const to = `${encodeURIComponent(name)}`
  if (kind === 'map') return `maps/${to}`
  if (kind === 'material')
    return `materials/${to}${part ? `?open=${part.replaceAll(' ', '_')}` : ''}`
  if (kind === 'mesh') {
    const query = new URLSearchParams({ ...(part ? { slot: part } : {}), fault: finding.code })
    return `meshes/${to}?${query.toString()}`
  }
  return 'maps'
}

/** Findings by severity, each with why it matters and the way to where it can be mended. */
export function ChecksScreen() {
  const id = useProjectId()
  const findings = useFindings()
  const target = useProject().data?.document.target
  if (!findings.data)
    return (
      <div className="empty">
        <p>{findings.isError ? findings.error.message : 'Checking …'}</p>
      </div>
    )
  if (findings.data.length === 0) {
    return (
      <div className="empty">
        <h1>Nothing found</h1>
        <p>Files, encodings, feeds, slots and meshes were checked against the rules of {target}.</p>
      </div>
    )
  }
  return (
    <div className="pane" style={{ overflow: 'auto' }} tabIndex={0} aria-label="Findings">
      <div style={{ maxWidth: 980, padding: '8px 24px 32px' }}>
        {SEVERITIES.map(({ key, words, glyph, tone }) => {
          const group = findings.data.filter((finding) => finding.severity === key)
          if (group.length === 0) return null
          return (
            <section key={key} aria-label={words}>
              <h1 style={{ fontSize: 15, margin: '20px 0 6px' }}>
                <span className={tone}>{glyph} </span>
                {words} <span className="small">{count(group.length, 'finding')}</span>
              </h1>
              {group.map((finding) => (
                <article
                  key={`${finding.code}${finding.subject}${finding.message}`}
                  style={{
                    display: 'grid',
                    gridTemplateColumns: '20px minmax(180px, 1fr) 3fr auto',
                    gap: 12,
                    padding: '10px 0',
                    borderTop: '1px solid var(--line)',
                  }}
                >
                  <b className={tone} aria-hidden>
                    {glyph}
                  </b>
                  <b style={{ overflowWrap: 'anywhere' }}>{finding.subject}</b>
                  <div>
                    <p>{finding.message}</p>
                    <p className="small">
                      {finding.why} {finding.fix && <b>{finding.fix}</b>}
                    </p>
                  </div>
                  <Link to={`/projects/${id}/${place(finding)}`}>Go there</Link>
                </article>
              ))}
            </section>
          )
        })}
      </div>
    </div>
  )
}
