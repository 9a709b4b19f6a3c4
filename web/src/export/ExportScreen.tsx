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
        <h1>Nothing to export yet</h1>
        <p>
          Make a material, put it on a slot, and see here which files the target gets before
          anything is written.
        </p>
        <Button component={Link} to={`/projects/${id}/materials`}>
          Make a material
        </Button>
      </div>
    )
  }
  return (
    <div className="screen export">
      <section className="pane" aria-label="Pack plan">
        <div className="bar">
          <h1>Pack plan</h1>
          {plan.data && over && (
            <span className="chip amber">
              △ {bytes(plan.data.memory - plan.data.budget!)} over the budget of{' '}
              {bytes(plan.data.budget!)}
            </span>
          )}
          {plan.data && (
            <span className="small">
              {count(Object.keys(project.document.materials ?? {}).length, 'material')} ·{' '}
              {count(plan.data.files.length, 'texture')} · {bytes(plan.data.memory)} in graphics
              memory
              {plan.data.compressed < plan.data.memory &&
                `, ${bytes(plan.data.compressed)} block-compressed`}
              {last && changed > 0 ? ` · ${count(changed, 'texture')} to be made again` : ''}
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
            Planning …
          </p>
        )}
        <JobProgress kinds={['export', 'trial', 'package', 'package-archive', 'deliver']} />
        <div
          className="row wrap"
          style={{ padding: '12px 14px', borderTop: '1px solid var(--line)' }}
        >
          <Button
            variant="contained"
            title="Write the package, read it back as an engine would, and compare"
            disabled={busy || plan.isError}
            onClick={() => startExport.mutate(true)}
          >
            Export and test
          </Button>
          <Button
            title="Write the package without comparing"
            disabled={busy || plan.isError}
            onClick={() => startExport.mutate(false)}
          >
            Export only
          </Button>
          <Button
            title="Put the package into an engine's project folder, if its trial passes"
            disabled={plan.isError}
            onClick={() => setDelivering(true)}
          >
            Deliver…
          </Button>
          <Included project={project} unassigned={plan.data?.unassigned ?? []} />
          {/* What comes with the first package stands behind what is always there, which stays in its place. */}
          {last && <Button onClick={() => startArchive.mutate(last.id)}>Download</Button>}
          {last && (
            <Button
              title="Read the last package back again, for instance after it was edited"
              disabled={busy}
              onClick={() => startTrial.mutate(last.id)}
            >
              Test again
            </Button>
          )}
          <ExportHistory packages={packages} show={setChosen} />
          <span className="grow" />
          {errors.length > 0 && (
            <Link to={`/projects/${id}/checks`} className="brick">
              ! {count(errors.length, 'error')} in the checks
            </Link>
          )}
          <span className="small">
            {last
              ? `last ${new Date(last.made).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}, took ${last.seconds.toFixed(1)} s${behind ? '; the project changed since' : ''}`
              : 'not exported for this target yet'}
          </span>
        </div>
      </section>
      <TrialBoard pack={tried} behind={tried ? outdated.includes(tried.id) : false} busy={busy} />
      {delivering && <Deliver project={project} close={() => setDelivering(false)} />}
    </div>
  )
}
