import { styled } from '@mui/material/styles'

import { Box, Button } from '@mui/material'
import { useState, type ReactNode } from 'react'
import { Link } from 'react-router'

import { useJobs, usePackages, useStartJob } from '../api/jobs'
import { useFindings, useOutdatedPackages, usePlan, useProject, useProjectId } from '../api/queries'
import type { Package, Plan, Project } from '../api/types'
import { JobProgress } from '../components/JobProgress'
import { bytes, count } from '../words'
import { Deliver } from './Deliver'
import { ExportHistory } from './ExportHistory'
import { PackPlan } from './PackPlan'
import { TrialBoard } from './TrialBoard'
import { Included } from './Included'
import { labels } from '../words/export'

const ExportBox = styled('div')({
  gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 1.17fr)',
})

/** The pack plan on the left; on the right, what the stand-in engine got. */
export function ExportScreen() {
  const project = useProject().data!
  const plan = usePlan()
  const packages = usePackages().data ?? []
  const busy = (useJobs().data ?? []).some(
    (job) =>
      ['waiting', 'running'].includes(job.state) &&
      ['export', 'trial', 'package'].includes(job.kind),
  )
  const [chosen, setChosen] = useState<number | null>(null)
  const { target, meshes, materials } = project.document
  const last = packages.find((entry) => entry.target === target && !entry.brought_in)
  const newest = packages.find((entry) => entry.target === target || entry.brought_in)
  const tried = packages.find((entry) => entry.id === chosen) ?? newest
  const outdated = useOutdatedPackages().data ?? []
  const isEmpty = (part: object | undefined) => Object.keys(part ?? {}).length === 0
  if (plan.data?.files.length === 0 && isEmpty(meshes) && isEmpty(materials))
    return <NothingToExport />
  return (
    <ExportBox className="screen export">
      <section className="pane" aria-label={labels.packPlan}>
        <PlanBar project={project} plan={plan.data} last={last} />
        <PlanOrReason plan={plan} last={last} />
        <JobProgress kinds={['export', 'trial', 'package', 'package-archive', 'deliver']} />
        <Actions
          project={project}
          plan={plan.data}
          last={last}
          busy={busy}
          broken={plan.isError}
          behind={last != null && outdated.includes(last.id)}
        >
          <ExportHistory packages={packages} show={setChosen} />
        </Actions>
      </section>
      <TrialBoard pack={tried} behind={tried != null && outdated.includes(tried.id)} busy={busy} />
    </ExportBox>
  )
}

interface PlanOrReasonProps {
  plan: ReturnType<typeof usePlan>
  last: Package | undefined
}

/** The plan, or why there is none; one that cannot be made anew is not shown as it was. */
function PlanOrReason({ plan: { data, error }, last }: PlanOrReasonProps) {
  if (data && !error) return <PackPlan plan={data} last={last} />
  return (
    <Box component="p" className={error ? 'brick grow' : 'grow'} sx={{ p: 1.75 }}>
      {error ? `! ${error.message}` : labels.planning}
    </Box>
  )
}

function NothingToExport() {
  const id = useProjectId()
  return (
    <div className="empty">
      <h1>{labels.nothingToExportYet}</h1>
      <p>{labels.makeAMaterialPutItOn}</p>
      <Button component={Link} to={`/projects/${id}/materials`}>
        {labels.makeAMaterial}
      </Button>
    </div>
  )
}

interface Planned {
  project: Project
  plan: Plan | undefined
  /** The newest package of this project for its target. */
  last: Package | undefined
}

/** What the package will cost, and by how much that is over the target's budget. */
function PlanBar({ project, plan, last }: Planned) {
  if (!plan)
    return (
      <div className="bar">
        <h1>{labels.packPlan}</h1>
      </div>
    )
  const { files, memory, compressed, budget } = plan
  const changed = files.filter((file) => file.state !== 'same').length
  const materials = Object.keys(project.document.materials ?? {}).length
  return (
    <div className="bar">
      <h1>{labels.packPlan}</h1>
      {budget != null && memory > budget && (
        <span className="chip amber">
          {labels.overTheBudgetOf(bytes(memory - budget), bytes(budget))}
        </span>
      )}
      <span className="small">
        {count(materials, 'material')} · {count(files.length, 'texture')} · {bytes(memory)}{' '}
        {labels.inGraphicsMemoryWord}
        {compressed < memory && labels.blockCompressedOf(bytes(compressed))}
        {last && changed > 0 ? labels.toBeMadeAgain(count(changed, 'texture')) : ''}
      </span>
    </div>
  )
}

interface Acting extends Planned {
  busy: boolean
  /** No plan could be made. */
  broken: boolean
  /** The project has changed since the last package. */
  behind: boolean
  children: ReactNode
}

function Actions({ project, plan, last, busy, broken, behind, children }: Acting) {
  const { startArchive, startExport, startTrial } = useStartJob()
  const [delivering, setDelivering] = useState(false)
  return (
    <Box className="row wrap" sx={{ p: '12px 14px', borderTop: '1px solid var(--line)' }}>
      <Button
        variant="contained"
        title={labels.writeThePackageReadItBack}
        disabled={busy || broken}
        onClick={() => startExport.mutate(true)}
      >
        {labels.exportAndTest}
      </Button>
      <Button
        title={labels.writeThePackageWithoutComparing}
        disabled={busy || broken}
        onClick={() => startExport.mutate(false)}
      >
        {labels.exportOnly}
      </Button>
      <Button
        title={labels.putThePackageIntoAnEngines}
        disabled={broken}
        onClick={() => setDelivering(true)}
      >
        {labels.deliver}
      </Button>
      <Included project={project} unassigned={plan?.unassigned ?? []} />
      {/* What comes with the first package stands behind what is always there, which stays in its place. */}
      {last && <Button onClick={() => startArchive.mutate(last.id)}>{labels.download}</Button>}
      {last && (
        <Button
          title={labels.readTheLastPackageBackAgain}
          disabled={busy}
          onClick={() => startTrial.mutate(last.id)}
        >
          {labels.testAgain}
        </Button>
      )}
      {children}
      <span className="grow" />
      <Errors />
      <span className="small">
        {last
          ? labels.lastTookS(
              new Date(last.made).toLocaleTimeString('en-GB', {
                hour: '2-digit',
                minute: '2-digit',
              }),
              last.seconds.toFixed(1),
              behind ? labels.theProjectChangedSince : '',
            )
          : labels.notExportedForThisTargetYet}
      </span>
      {delivering && <Deliver project={project} close={() => setDelivering(false)} />}
    </Box>
  )
}

/** How many errors the checks found that nobody ignored; nothing where there are none. */
function Errors() {
  const id = useProjectId()
  const errors = (useFindings().data ?? []).filter(
    (finding) => finding.severity === 'error' && finding.waived == null,
  )
  if (errors.length === 0) return null
  return (
    <Link to={`/projects/${id}/checks`} className="brick">
      {labels.inTheChecks(count(errors.length, 'error'))}
    </Link>
  )
}
