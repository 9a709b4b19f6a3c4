import { styled } from '@mui/material/styles'
import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { Fragment } from 'react'

import { get } from '../api/client'
import { useProject, useProjectId } from '../api/queries'
import type { Probed } from '../api/types'
import { copyText } from '../components/copyText'
import { INPUT_WORDS } from '../words'
import { labels } from '../words/materials'

const ProbeGrid = styled('div')({
  display: 'grid',
  gridTemplateColumns: 'auto auto minmax(0, 1fr)',
  gap: '2px 10px',
  fontSize: 10.5,
})

const ProbeBox = styled('section')({
  padding: '6px 12px 10px',
  borderTop: '1px solid var(--line)',
  background: 'var(--surface)',
  maxHeight: 190,
  overflow: 'auto',
})

/** Every input at the point that was clicked, each traced to its file, channel and texel. */
export function Probe({
  material,
  uvs,
  where,
  close,
}: {
  material: string
  /** Of the point, one pair a UV set. */
  uvs: [number, number][]
  where: string
  close: () => void
}) {
  const id = useProjectId()
  const revision = useProject().data?.revision
  const [[u, v] = [0, 0], second] = uvs
  const query = { u, v, ...(second && { u1: second[0], v1: second[1] }) }
  const probed = useQuery({
    queryKey: ['project-part', id, 'probe', revision, material, uvs],
    queryFn: () =>
      get('/api/projects/{project_id}/probe/{name}', {
        params: { path: { project_id: id, name: material }, query },
      }),
  })
  const trace = (row: Probed) =>
    row.traces.map(
      (t) =>
        `${t.map} · ${t.channels.toUpperCase()} · ${t.x}, ${t.y} · ${t.stored.map((code) => Number(code.toFixed(4))).join(' ')}`,
    )
  const text = () =>
    (probed.data ?? [])
      .map((row) => [row.input, row.value.join(' '), ...trace(row), ...row.changed].join('\t'))
      .join('\n')
  return (
    <ProbeBox aria-label={labels.probe}>
      <div className="row">
        <h2 className="grow">
          {labels.probe}{' '}
          <span className="small">{labels.uv(where, u.toFixed(3), v.toFixed(3))}</span>
        </h2>
        <Button variant="text" onClick={() => void copyText(text())}>
          {labels.copy}
        </Button>
        <Button variant="text" onClick={close}>
          {labels.close}
        </Button>
      </div>
      {probed.isError && <p className="brick">! {probed.error.message}</p>}
      <ProbeGrid className="mono" tabIndex={0} role="group" aria-label={labels.inputsAtThePoint}>
        {probed.data
          ?.filter((row) => row.traces.length > 0 || row.value.some((value) => value !== 0))
          .map((row) => (
            <Fragment key={row.input}>
              <span>{INPUT_WORDS[row.input].name.toLowerCase()}</span>
              <b>{row.words}</b>
              <span className="quiet ellipsis" title={[...trace(row), ...row.changed].join('\n')}>
                {trace(row)[0] ?? labels.wordConstant}
                {row.changed.length > 0 && ` → ${row.changed.join(', ')}`}
              </span>
            </Fragment>
          ))}
      </ProbeGrid>
    </ProbeBox>
  )
}
