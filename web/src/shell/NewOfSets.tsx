import { ChangedBar } from './styles'
import { Button } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useFindings, useProject } from '../api/queries'
import type { Edit, Finding } from '../api/types'
import { count } from '../words'
import { labels } from '../words/shell'

/** The map that a finding of an unused map of a set is about. */
const mapOf = (finding: Finding) => finding.evidence.split(' ')[0] ?? ''

/** One question for each map that came in for a set that a material is fed from already. */
export function NewOfSets() {
  const edit = useEdit()
  const project = useProject().data
  const findings = useFindings()
  // What was there when the project was opened is a matter for the checks.
  const [known] = useState(() => new Set(Object.keys(project?.document.maps ?? {})))
  const [answered, setAnswered] = useState<string[]>([])
  const asked = (findings.data ?? []).filter(
    (finding) =>
      finding.code === 'set-map-unused' &&
      finding.waived == null &&
      finding.remedy != null &&
      !known.has(mapOf(finding)) &&
      !answered.includes(mapOf(finding)),
  )
  const [first] = asked
  if (!first) return null
  const answer = (feed: boolean) => {
    setAnswered((before) => [...before, ...asked.map(mapOf)])
    if (feed) void edit(...asked.flatMap((finding) => (finding.remedy?.edits ?? []) as Edit[]))
  }
  const [material] = first.subject.replace(/^material /, '').split(' · ')
  return (
    <ChangedBar aria-label={labels.newMapsOfSets}>
      <b className="amber">
        △ {asked.length === 1 ? mapOf(first) : count(asked.length, labels.newMap)}
      </b>
      <span className="small grow ellipsis">
        {asked.length === 1
          ? labels.isNewInTheSetThat(material, first.remedy?.does ?? '')
          : labels.ofSetsThatMaterialsAreFed(asked.map(mapOf).join(', '))}
      </span>
      <Button variant="contained" onClick={() => answer(true)}>
        {asked.length === 1 ? labels.feedItTo(material) : labels.feedThem}
      </Button>
      <Button onClick={() => answer(false)}>{labels.notNow}</Button>
    </ChangedBar>
  )
}
