import './export.css'

import { Button } from '@mui/material'
import { useState } from 'react'
import { Link } from 'react-router'

import { useJobs, usePackages, useStartJob } from '../api/jobs'
import { useFindings, useOutdatedPackages, usePlan, useProject, useProjectId } from '../api/queries'
import { JobProgress } from '../components/JobProgress'
import { bytes, count } from '../words'
import { Deliver } from './Deliver'
import { ExportHistory } from './ExportHistory'
import { PackPlan } from './PackPlan'
import { TrialBoard } from './TrialBoard'
import { Included } from './Included'
import { labels } from '../words/export'

/** The pack plan on the left; on the right, what the stand-in engine got. */
export function ExportScreen() {
  const id = useProjectId()
  const project = useProject().data!
  const plan = usePlan()
  const packages = usePackages().data ?? []
  const errors = (useFindings().data ?? []).filter(
    (finding) => finding.severity === 'error' && finding.waived == null,
  )
  const { startArchive, startExport, startTrial } = useStartJob()
  const busy = (useJobs().data ?? []).some(
    (job) =>
      ['waiting', 'running'].includes(job.state) &&
      ['export', 'trial', 'package'].includes(job.kind),
  )
  const [chosen, setChosen] = useState<number | null>(null)
  const [delivering, setDelivering] = useState(false)
  const last = packages.find(
    (entry) => entry.target === project.document.target && !entry.brought_in,
  )
  const newest = packages.find(
    (entry) => entry.target === project.document.target || entry.brought_in,
  )
  const tried = packages.find((entry) => entry.id === chosen) ?? newest
  const outdated = useOutdatedPackages().data ?? []
  const behind = last && outdated.includes(last.id)
  const over = plan.data?.budget != null && plan.data.memory > plan.data.budget
  const changed = plan.data?.files.filter((file) => file.state !== 'same').length ?? 0
  const nothing =
    plan.data?.files.length === 0 &&
    Object.keys(project.document.meshes ?? {}).length === 0 &&
    Object.keys(project.document.materials ?? {}).length === 0
  if (nothing) {
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
  return (
    <div className="screen export">
      <section className="pane" aria-label={labels.packPlan}>
        <div className="bar">
          <h1>{labels.packPlan}</h1>
          {plan.data && over && (
            <span className="chip amber">
              {labels.overTheBudgetOf(
                bytes(plan.data.memory - plan.data.budget!),
                bytes(plan.data.budget!),
              )}
            </span>
          )}
          {plan.data && (
            <span className="small">
              {count(Object.keys(project.document.materials ?? {}).length, 'material')} ·{' '}
              {count(plan.data.files.length, 'texture')} · {bytes(plan.data.memory)}{' '}
              {labels.inGraphicsMemoryWord}
              {plan.data.compressed < plan.data.memory &&
                labels.blockCompressedOf(bytes(plan.data.compressed))}
              {last && changed > 0 ? labels.toBeMadeAgain(count(changed, 'texture')) : ''}
            </span>
          )}
        </div>
        {plan.isError ? (
          <p className="brick grow" style={{ padding: 14 }}>
            ! {plan.error.message}
          </p>
        ) : plan.data ? (
          <PackPlan plan={plan.data} last={last} />
        ) : (
          <p className="grow" style={{ padding: 14 }}>
            {labels.planning}
          </p>
        )}
        <JobProgress kinds={['export', 'trial', 'package', 'package-archive', 'deliver']} />
        <div
          className="row wrap"
          style={{ padding: '12px 14px', borderTop: '1px solid var(--line)' }}
        >
          <Button
            variant="contained"
            title={labels.writeThePackageReadItBack}
            disabled={busy || plan.isError}
            onClick={() => startExport.mutate(true)}
          >
            {labels.exportAndTest}
          </Button>
          <Button
            title={labels.writeThePackageWithoutComparing}
            disabled={busy || plan.isError}
            onClick={() => startExport.mutate(false)}
          >
            {labels.exportOnly}
          </Button>
          <Button
            title={labels.putThePackageIntoAnEngines}
            disabled={plan.isError}
            onClick={() => setDelivering(true)}
          >
            {labels.deliver}
          </Button>
          <Included project={project} unassigned={plan.data?.unassigned ?? []} />
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
          <ExportHistory packages={packages} show={setChosen} />
          <span className="grow" />
          {errors.length > 0 && (
            <Link to={`/projects/${id}/checks`} className="brick">
              {labels.inTheChecks(count(errors.length, 'error'))}
            </Link>
          )}
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
        </div>
      </section>
      <TrialBoard pack={tried} behind={tried ? outdated.includes(tried.id) : false} busy={busy} />
      {delivering && <Deliver project={project} close={() => setDelivering(false)} />}
    </div>
  )
}
