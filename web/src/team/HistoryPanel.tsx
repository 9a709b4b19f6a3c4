import { Box, Button, MenuItem, TextField } from '@mui/material'
import { styled } from '@mui/material/styles'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'

import { useRestoreVersion } from '../api/changes'
import { get } from '../api/client'
import { useProject, useProjectId } from '../api/queries'
import type { components } from '../api/schema'
import { Picture } from '../components/Picture'
import { ago } from '../words'
import { labels } from '../words/team'
import { SidePanel, stayInPanel } from './SidePanel'

type Step = components['schemas']['Step']
type Thing = Step['touched'][number]

/** What was changed in the project, or at one thing of it, by whom, with before and after; any state can be brought back. */
export function HistoryPanel({ about, close }: { about: string; close: () => void }) {
  const [of, setOf] = useState(about)
  const asked = useHistory(of)
  const steps = asked.data?.pages.flatMap((page) => page.steps) ?? []
  return (
    <SidePanel title={labels.history} close={close}>
      <ThingSelect of={of} setOf={setOf} />
      {asked.isError && <p className="brick">{asked.error.message}</p>}
      {asked.isSuccess && steps.length === 0 && (
        <p className="quiet">{labels.nothingHasChangedSinceItWas}</p>
      )}
      <ol>
        {steps.map((step) => (
          <OneStep key={step.revision} step={step} only={of ? thingOf(of).name : null} />
        ))}
      </ol>
      {asked.hasNextPage && (
        <Button disabled={asked.isFetchingNextPage} onClick={() => void asked.fetchNextPage()}>
          {asked.isFetchingNextPage ? labels.loading : labels.earlierOnes}
        </Button>
      )}
    </SidePanel>
  )
}

function thingOf(of: string) {
  const [kind, ...rest] = of.split(' ')
  return { kind: kind as Thing['kind'], name: rest.join(' ') }
}

/** The steps of the project, or of one thing in it, newest first, a page at a time. */
function useHistory(of: string) {
  const id = useProjectId()
  const revision = useProject().data?.revision
  return useInfiniteQuery({
    queryKey: ['history', id, revision, of],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      get('/api/projects/{project_id}/history', {
        params: {
          path: { project_id: id },
          query: {
            pictures: true,
            ...(of ? thingOf(of) : {}),
            ...(pageParam ? { before: pageParam } : {}),
          },
        },
      }),
    getNextPageParam: (page) => page.more ?? undefined,
  })
}

/** The thing whose history is shown: a map, a material, a mesh, or all of the project. */
function ThingSelect({ of, setOf }: { of: string; setOf: (of: string) => void }) {
  const document = useProject().data?.document
  const things = [
    ...Object.keys(document?.maps ?? {}).map((name) => ['map', name] as const),
    ...Object.keys(document?.materials ?? {}).map((name) => ['material', name] as const),
    ...Object.keys(document?.meshes ?? {}).map((name) => ['mesh', name] as const),
  ].map(([kind, name]) => ({ value: `${kind} ${name}`, words: labels[kind](name) }))
  return (
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
  )
}

const StepItem = styled('li')({
  borderLeft: '3px solid var(--line)',
  paddingLeft: 10,
  '&.now': { borderLeftColor: 'var(--accent)' },
  '&.undone': { borderLeftStyle: 'dashed' },
  '& figure': { margin: '6px 0 0' },
})

function OneStep({ step, only }: { step: Step; only: string | null }) {
  const bringBack = useRestoreVersion()
  const seen = step.touched.filter((thing) => thing.before || thing.after)
  const shown = only === null ? seen : seen.filter((thing) => thing.name === only)
  const when = new Date(step.made)
  return (
    <StepItem className={step.state}>
      <div className="row">
        <b className="grow">{step.label}</b>
        {step.state === 'now' ? (
          <span className="chip own">{labels.now}</span>
        ) : (
          <Button
            variant="text"
            aria-label={labels.restoreTheVersionAfter(step.label)}
            onClick={(event) => {
              stayInPanel(event.currentTarget)
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
    </StepItem>
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
    <Box component="span" className="thumb letters small" sx={{ width: 64, height: 64 }}>
      {labels.notThere}
    </Box>
  )
}
