import { Button, Drawer, MenuItem, TextField } from '@mui/material'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'

import { useRestoreVersion } from '../api/changes'
import { get } from '../api/client'
import { useProject, useProjectId } from '../api/queries'
import type { components } from '../api/schema'
import { Picture } from '../components/Picture'
import { ago } from '../words'
import './history.css'
import { labels } from '../words/team'

type Step = components['schemas']['Step']
type Thing = Step['touched'][number]

/** What was changed in the project, or at one thing of it, by whom, with before and after; any state can be brought back. */
export function HistoryPanel({ about, close }: { about: string; close: () => void }) {
  const id = useProjectId()
  const project = useProject().data
  const [of, setOf] = useState(about)
  const [kind, ...rest] = of.split(' ')
  const name = rest.join(' ')
  const asked = useInfiniteQuery({
    queryKey: ['history', id, project?.revision, of],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      get('/api/projects/{project_id}/history', {
        params: {
          path: { project_id: id },
          query: {
            pictures: true,
            ...(of ? { kind: kind as Thing['kind'], name } : {}),
            ...(pageParam ? { before: pageParam } : {}),
          },
        },
      }),
    getNextPageParam: (page) => page.more ?? undefined,
  })
  const document = project?.document
  const things = [
    ...Object.keys(document?.maps ?? {}).map((name) => ['map', name] as const),
    ...Object.keys(document?.materials ?? {}).map((name) => ['material', name] as const),
    ...Object.keys(document?.meshes ?? {}).map((name) => ['mesh', name] as const),
  ].map(([kind, name]) => ({ value: `${kind} ${name}`, words: labels[kind](name) }))
  const steps = asked.data?.pages.flatMap((page) => page.steps) ?? []
  return (
    <Drawer
      anchor="right"
      open
      onClose={close}
      slotProps={{ paper: { 'aria-label': 'History', role: 'dialog' } as object }}
    >
      <div className="history" tabIndex={-1}>
        <div className="row">
          <h1 className="grow">{labels.history}</h1>
          <Button variant="text" onClick={close}>
            {labels.close}
          </Button>
        </div>
        <TextField
          select
          size="small"
          label={labels.of}
          value={things.some(({ value }) => value === of) ? of : ''}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          onChange={(event) => setOf(event.target.value)}
        >
          <MenuItem value="">{labels.theWholeProject}</MenuItem>
          {things.map(({ value, words }) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
        {asked.isError && <p className="brick">{asked.error.message}</p>}
        {asked.isSuccess && steps.length === 0 && (
          <p className="quiet">{labels.nothingHasChangedSinceItWas}</p>
        )}
        <ol>
          {steps.map((step) => (
            <OneStep key={step.revision} step={step} only={of ? name : null} />
          ))}
        </ol>
        {asked.hasNextPage && (
          <Button disabled={asked.isFetchingNextPage} onClick={() => void asked.fetchNextPage()}>
            {asked.isFetchingNextPage ? labels.loading : labels.earlierOnes}
          </Button>
        )}
      </div>
    </Drawer>
  )
}

function OneStep({ step, only }: { step: Step; only: string | null }) {
  const bringBack = useRestoreVersion()
  const seen = step.touched.filter((thing) => thing.before || thing.after)
  const shown = only === null ? seen : seen.filter((thing) => thing.name === only)
  const when = new Date(step.made)
  return (
    <li className={step.state}>
      <div className="row">
        <b className="grow">{step.label}</b>
        {step.state === 'now' ? (
          <span className="chip own">{labels.now}</span>
        ) : (
          <Button
            variant="text"
            aria-label={labels.restoreTheVersionAfter(step.label)}
            onClick={(event) => {
              event.currentTarget.closest<HTMLElement>('.history')?.focus()
              void bringBack(step.revision)
            }}
          >
            {labels.restoreThisVersion}
          </Button>
        )}
      </div>
      <p className="small" title={when.toLocaleString('en-GB')}>
        {[step.author, ago(step.made), step.state === 'undone' ? labels.undoneSince : '']
          .filter(Boolean)
          .join(' · ')}
      </p>
      {shown.map((thing) => (
        <figure key={`${thing.kind} ${thing.name}`}>
          <div className="row">
            <Side what={labels.before} thing={thing} address={thing.before} />
            <span aria-hidden>→</span>
            <Side what={labels.after} thing={thing} address={thing.after} />
          </div>
          <figcaption className="small ellipsis">{thing.name}</figcaption>
        </figure>
      ))}
    </li>
  )
}

function Side({
  what,
  thing,
  address,
}: {
  what: string
  thing: Thing
  address: string | null | undefined
}) {
  return address ? (
    <Picture
      className="thumb"
      src={address}
      width={64}
      height={64}
      alt={`${thing.name} ${what}`}
      loading="lazy"
    />
  ) : (
    <span className="thumb letters small" style={{ width: 64, height: 64 }}>
      {labels.notThere}
    </span>
  )
}
