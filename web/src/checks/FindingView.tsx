import { FindingActions } from './styles'
import { styled } from '@mui/material/styles'
import { Box, Button, MenuItem, TextField } from '@mui/material'
import { Link } from 'react-router'

import { useEdit } from '../api/changes'
import { useProject, useProjectId } from '../api/queries'
import type { Finding } from '../api/types'
import { Evidence } from './Evidence'
import type { Group } from './groups'
import type { Weight } from './groups'
import { AddNote } from '../team/NoteMark'
import { WEIGHTS, about, allEdits, place, placeWords } from './groups'
import { labels } from '../words/checks'

const Waived = styled('p')({
  padding: '6px 10px',
  background: 'var(--accentWash)',
})

const FindingViewBox = styled('div')({
  display: 'grid',
  alignContent: 'start',
  gap: 10,
  padding: '16px 20px',
  '& h1': {
    fontSize: 17,
  },
  '& .chip': {
    cursor: 'pointer',
  },
  '& > p': {
    maxWidth: '72ch',
  },
})

interface Props {
  group: Group
  finding: Finding
  choose: (finding: Finding) => void
  mend: (findings: Finding[]) => void
  leave: () => void
  countAgain: () => void
}

const upper = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** The chosen finding: its pictures, its numbers, why it matters, and what can be done. */
export function FindingView({ group, finding, choose, mend, leave, countAgain }: Props) {
  const { remedy } = finding
  return (
    <section className="pane" aria-label={labels.theChosenFinding}>
      <FindingViewBox className="scroll" tabIndex={0} aria-label={labels.finding}>
        <h1>{finding.title}</h1>
        {group.findings.length > 1 ? (
          <Box className="row wrap" role="group" aria-label={labels.where} sx={{ gap: 0.5 }}>
            {group.findings.map((one) => (
              <button
                key={`${one.subject} ${one.message}`}
                className={one === finding ? 'chip own' : 'chip'}
                aria-pressed={one === finding}
                onClick={() => choose(one)}
              >
                {one.subject}
              </button>
            ))}
          </Box>
        ) : (
          <p className="small">{finding.subject}</p>
        )}
        <p>{finding.message}</p>
        <AddNote at={{ kind: 'finding', place: [finding.code, finding.subject] }} marked />
        {finding.waived != null && (
          <Waived>
            <b>{labels.ignored}</b> {finding.waived}
          </Waived>
        )}
        <Evidence key={`${finding.code} ${finding.subject}`} finding={finding} />
        {finding.numbers.length > 0 && <Numbers finding={finding} />}
        <p>
          <b>{labels.whyItMatters}</b> {finding.why}
        </p>
        <p>
          {remedy ? (
            <>
              <b>{labels.whatThisFixDoes}</b> {remedy.does} {labels.itCanBeUndone}
            </>
          ) : (
            <>
              <b>{labels.howToFix}</b> {finding.fix}
            </>
          )}
        </p>
        <Severity code={finding.code} />
      </FindingViewBox>
      <Actions {...{ group, finding, mend, leave, countAgain }} />
    </section>
  )
}

function Numbers({ finding }: { finding: Finding }) {
  return (
    <table className="numbers-table" aria-label={labels.numbers}>
      <tbody>
        {finding.numbers.map((number) => (
          <tr key={number.label}>
            <th scope="row">{number.label}</th>
            <td>
              <span className="mono">{number.value}</span>{' '}
              <span className="small">{number.remark}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** How much this check weighs in this project. */
function Severity({ code }: { code: string }) {
  const edit = useEdit()
  const weight = useProject().data?.document.rules?.severities?.[code]
  return (
    <TextField
      select
      size="small"
      sx={{ width: 190, mt: 1 }}
      label={labels.severityInThisProject}
      value={weight ?? ''}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      onChange={(event) =>
        void edit({
          kind: 'set-severity',
          code,
          severity: (event.target.value || null) as Weight | null,
        })
      }
    >
      <MenuItem value="">{labels.asUsual}</MenuItem>
      {WEIGHTS.map(([key, words]) => (
        <MenuItem key={key} value={key}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  )
}

function Actions({ group, finding, mend, leave, countAgain }: Omit<Props, 'choose'>) {
  const id = useProjectId()
  const { remedy } = finding
  const counts = finding.waived == null
  const mendable = group.findings.filter((one) => one.remedy)
  return (
    <FindingActions className="bar">
      {remedy && counts && (
        <Button variant="contained" aria-keyshortcuts="F" onClick={() => mend([finding])}>
          {upper(remedy.label)}
        </Button>
      )}
      {mendable.length > 1 && counts && (
        <Button
          onClick={() => mend(mendable)}
          title={labels.changesAsOneStep(allEdits(mendable).length)}
        >
          {labels.allOfThisKind(mendable.length)}
        </Button>
      )}
      <Button component={Link} to={`/projects/${id}/${place(finding)}`}>
        {placeWords(finding)}
      </Button>
      <span className="grow" />
      {counts ? (
        <Button aria-keyshortcuts="W" onClick={leave}>
          {labels.ignore}
        </Button>
      ) : (
        <Button onClick={countAgain}>{labels.stopIgnoring}</Button>
      )}
    </FindingActions>
  )
}

/** The subject as a person says it in a list. */
export function where(findings: Finding[]): string {
  const names = findings.map(({ subject }) => {
    const { kind, name, part } = about(subject)
    return kind === 'project' ? labels.theProject : part ? `${name} · ${part}` : name
  })
  return names.length <= 2
    ? names.join(', ')
    : labels.andMore(names.slice(0, 2).join(', '), names.length - 2)
}
