import { Button } from '@mui/material'
import { Link } from 'react-router'

import { useEdit } from '../api/changes'
import { useFindings, useProjectId } from '../api/queries'
import { count } from '../words'
import { labels } from '../words/maps'

/** Feeds that still take a corrected map for what it was before: said at once, and moved in one step. */
export function Contradictions() {
  const edit = useEdit()
  const id = useProjectId()
  const findings = (useFindings().data ?? []).filter(
    (finding) => finding.code === 'feed-contradicts-map' && finding.waived == null,
  )
  const moves = findings.flatMap((finding) => finding.remedy?.edits ?? [])
  if (findings.length === 0) return null
  const material = /^material (.*) · [^·]*$/.exec(findings[0]!.subject)?.[1] ?? ''
  return (
    <div className="bar wrapping" role="status">
      <span className="amber">△ {findings[0]!.message}</span>
      {findings.length > 1 && (
        <span className="small">{labels.andMore(count(findings.length - 1, 'feed'))}</span>
      )}
      <span className="grow" />
      {moves.length === 0 && (
        <>
          <span className="small">{findings[0]!.fix}</span>
          <Button component={Link} to={`/projects/${id}/materials/${encodeURIComponent(material)}`}>
            {labels.showInFeedSheet}
          </Button>
        </>
      )}
      {moves.length > 0 && (
        <Button onClick={() => void edit(...moves)}>
          {findings.length > 1 ? labels.moveTheFeeds : labels.moveTheFeed}
        </Button>
      )}
    </div>
  )
}
