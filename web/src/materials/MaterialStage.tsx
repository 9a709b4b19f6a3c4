import { Button, MenuItem, TextField } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { Suspense, useState } from 'react'

import { get } from '../api/client'
import { trySheet, useLooks, useMeshes, useProject, useProjectId } from '../api/queries'
import type { InputName, Sheet, StageLook } from '../api/types'
import { Divider } from '../viewport/Divider'
import { newPose } from '../viewport/pose'
import { FollowingStage, Stage } from '../viewport/Stage'
import { LightTabs } from '../viewport/StageBar'
import type { Solo } from '../viewport/useMaterial'
import { MeshSubject, ShapeSubject } from '../viewport/Subjects'
import { StageTools } from '../viewport/StageTools'
import type { ShapeName } from '../viewport/shapes'
import { ACROSS, SHAPES } from '../viewport/shapes'
import { useRemembered } from '../components/remembered'
import { INPUT_WORDS } from '../words'
import { PLAIN, unfed } from './feed'
import { Probe } from './Probe'
import { labels } from '../words/materials'

/** What stands on the other side of the divider. */
export type Comparison =
  | { kind: 'choose' }
  | { kind: 'without'; input: InputName }
  | { kind: 'material'; name: string }
  | { kind: 'checkpoint'; id: number; name: string }

interface Props {
  name: string
  sheet: Sheet | undefined
  solo: InputName | null
  comparison: Comparison | null
  compare: (comparison: Comparison | null) => void
}

/** The material under light, on a mesh that wears it or on a simple shape; compared, or probed at a point. */
export function MaterialStage({ name, sheet, solo, comparison, compare }: Props) {
  const meshes = (useMeshes().data ?? []).filter(
    (mesh) => mesh.measured && Object.values(mesh.assigned).includes(name),
  )
  const looks = useLooks().data ?? {}
  const [subject, setSubject] = useRemembered<string>('stage subject', 'specimen')
  const [pose] = useState(newPose)
  const [split, setSplit] = useState(0.5)
  const [point, setPoint] = useState<{
    material: string
    uvs: [number, number][]
    where: string
  } | null>(null)
  const other = useOther(name, comparison)
  const mesh = meshes.find((entry) => `mesh:${entry.name}` === subject)
  const shape = (
    mesh ? 'specimen' : SHAPES.some((entry) => entry.key === subject) ? subject : 'specimen'
  ) as ShapeName
  const alone = solo ? sheet?.rows.find((row) => row.input === solo) : undefined
  const soloKey = alone?.picture ? { key: alone.picture, place: alone.place } : null
  const size = mesh ? Math.hypot(...mesh.size) : ACROSS[shape]
  const onIt = (assigned: string | null | undefined) => assigned === name
  const subjectWith = (look: StageLook | undefined, key: Solo | null, probing: boolean) => (
    <Suspense key={name} fallback={null}>
      {mesh ? (
        <MeshSubject
          geometryKey={mesh.key}
          renamed={mesh.renamed}
          tint="lit"
          isolated={null}
          onProbe={
            probing
              ? (slot, uvs) => {
                  const assigned = mesh.assigned[slot]
                  if (assigned)
                    setPoint({ material: assigned, uvs, where: `${mesh.name} · ${slot}` })
                }
              : undefined
          }
          slots={mesh.slots.map((slot) => {
            const assigned = mesh.assigned[slot.name]
            return {
              slot: slot.name,
              look: onIt(assigned) ? look : assigned ? looks[assigned] : undefined,
              solo: onIt(assigned) ? key : null,
            }
          })}
        />
      ) : (
        <ShapeSubject
          shape={shape}
          look={look}
          solo={key}
          onProbe={probing ? (uvs) => setPoint({ material: name, uvs, where: shape }) : undefined}
        />
      )}
    </Suspense>
  )
  return (
    <aside className="pane" aria-label={labels.stage}>
      <div className="stage-box">
        <Stage
          size={size}
          label={labels.onOf(name, mesh ? mesh.name : shape)}
          pose={pose}
          ready={sheet !== undefined}
        >
          {subjectWith(sheet?.stage, soloKey, true)}
        </Stage>
        {other && (
          <Divider split={split} setSplit={setSplit} words={['current', other.words]}>
            <FollowingStage size={size} label={`${name}, ${other.words}`} pose={pose}>
              {subjectWith(other.look, null, false)}
            </FollowingStage>
          </Divider>
        )}
        <div
          className="over"
          style={{ left: 10, top: 10, maxWidth: 'calc(100% - 20px)', flexWrap: 'wrap' }}
          role="group"
          aria-label={labels.shownOn}
        >
          {SHAPES.map((entry) => (
            <button
              key={entry.key}
              aria-pressed={!mesh && shape === entry.key}
              onClick={() => setSubject(entry.key)}
            >
              {entry.words}
            </button>
          ))}
          {meshes.map((entry) => (
            <button
              key={entry.name}
              aria-pressed={mesh === entry}
              onClick={() => setSubject(`mesh:${entry.name}`)}
            >
              {entry.name}
            </button>
          ))}
        </div>
        <div
          className="over"
          style={{ right: 10, bottom: 10 }}
          role="group"
          aria-label={labels.stage}
        >
          <button
            aria-pressed={comparison !== null}
            title={labels.showItBesideAnotherMaterialA}
            onClick={() => compare(comparison ? null : { kind: 'choose' })}
          >
            {labels.compare}
          </button>
          <StageTools />
        </div>
        {solo && (
          <span className="stage-note">{labels.aloneWithoutLight(INPUT_WORDS[solo].name)}</span>
        )}
      </div>
      {comparison && <CompareBar name={name} comparison={comparison} compare={compare} />}
      <LightTabs />
      {point && (
        <Probe
          material={point.material}
          uvs={point.uvs}
          where={point.where}
          close={() => setPoint(null)}
        />
      )}
    </aside>
  )
}

/** The look on the other side, once it is known. */
function useOther(
  name: string,
  comparison: Comparison | null,
): { look: StageLook | undefined; words: string } | null {
  const id = useProjectId()
  const project = useProject().data
  const looks = useLooks().data ?? {}
  const entry = project?.document.materials?.[name]
  const input = comparison?.kind === 'without' ? comparison.input : null
  const without = useQuery({
    queryKey: ['project-part', id, 'without', project?.revision, name, input],
    queryFn: () =>
      trySheet(id, name, {
        ...entry!,
        inputs: { ...entry!.inputs, [input!]: { ...PLAIN, value: unfed(input!) } },
      }),
    enabled: input !== null && entry !== undefined,
  })
  const checkpoint = comparison?.kind === 'checkpoint' ? comparison.id : null
  const before = useQuery({
    queryKey: ['project-part', id, labels.looksAt, checkpoint],
    queryFn: () =>
      get('/api/projects/{project_id}/stage', {
        params: { path: { project_id: id }, query: { checkpoint } },
      }),
    enabled: checkpoint !== null,
  })
  if (comparison?.kind === 'without')
    return without.data
      ? {
          look: without.data.stage,
          words: labels.without(INPUT_WORDS[comparison.input].name.toLowerCase()),
        }
      : null
  if (comparison?.kind === 'material')
    return { look: looks[comparison.name], words: comparison.name }
  if (comparison?.kind === 'checkpoint')
    return before.data ? { look: before.data[name], words: labels.atOf(comparison.name) } : null
  return null
}

function CompareBar({
  name,
  comparison,
  compare,
}: {
  name: string
  comparison: Comparison
  compare: Props['compare']
}) {
  const project = useProject().data!
  const options: { key: string; words: string; is: Comparison }[] = [
    ...(
      ['base_color', 'metallic', 'roughness', 'normal', 'occlusion', 'emission'] as InputName[]
    ).map((input) => ({
      key: labels.withoutOf(input),
      words: labels.without(INPUT_WORDS[input].name.toLowerCase()),
      is: { kind: 'without', input } as const,
    })),
    ...Object.keys(project.document.materials ?? {})
      .filter((other) => other !== name)
      .map((other) => ({
        key: `material ${other}`,
        words: other,
        is: { kind: 'material', name: other } as const,
      })),
    ...project.checkpoints.map((point) => ({
      key: `checkpoint ${point.id}`,
      words: labels.asAt(point.name),
      is: { kind: 'checkpoint', id: point.id, name: point.name } as const,
    })),
  ]
  const current = options.find((option) => JSON.stringify(option.is) === JSON.stringify(comparison))
  return (
    <div className="row" style={{ padding: '8px 10px', borderTop: '1px solid var(--line)' }}>
      <TextField
        select
        fullWidth
        label={labels.compareWith}
        value={current?.key ?? ''}
        onChange={(event) =>
          compare(options.find((option) => option.key === event.target.value)!.is)
        }
      >
        {options.map((option) => (
          <MenuItem key={option.key} value={option.key}>
            {option.words}
          </MenuItem>
        ))}
      </TextField>
      <Button onClick={() => compare(null)}>{labels.done}</Button>
    </div>
  )
}
