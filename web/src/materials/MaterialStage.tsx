import { Over, StageBox, StageNote } from '../viewport/styles'
import { Box, Button, MenuItem, TextField } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { Suspense, useState } from 'react'

import { get } from '../api/client'
import { trySheet, useLooks, useMeshes, useProject, useProjectId } from '../api/queries'
import type { InputName, MeshFacts, Sheet, StageLook } from '../api/types'
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

interface Point {
  material: string
  uvs: [number, number][]
  /** The subject, as a person calls it. */
  where: string
}

/** What wears the material: the mesh that was chosen last if it still wears it, or a shape. */
function useShown(name: string) {
  const meshes = (useMeshes().data ?? []).filter(
    (mesh) => mesh.measured && Object.values(mesh.assigned).includes(name),
  )
  const [subject, setSubject] = useRemembered<string>('stage subject', 'specimen')
  const mesh = meshes.find((entry) => `mesh:${entry.name}` === subject)
  const shape =
    (!mesh && SHAPES.find((entry) => entry.key === subject)?.key) || ('specimen' as ShapeName)
  return { meshes, mesh, shape, show: setSubject }
}

/** The picture of the one input that is looked at alone. */
function soloOf(sheet: Sheet | undefined, input: InputName | null): Solo | null {
  const row = sheet?.rows.find((entry) => entry.input === input)
  return row?.picture ? { key: row.picture, place: row.place } : null
}

/** The material under light, on a mesh that wears it or on a simple shape; compared, or probed at a point. */
export function MaterialStage({ name, sheet, solo, comparison, compare }: Props) {
  const { meshes, mesh, shape, show } = useShown(name)
  const [pose] = useState(newPose)
  const [split, setSplit] = useState(0.5)
  const [point, setPoint] = useState<Point | null>(null)
  const other = useOther(name, comparison)
  const size = mesh ? Math.hypot(...mesh.size) : ACROSS[shape]
  const of = { name, mesh, shape }
  return (
    <aside className="pane" aria-label={labels.stage}>
      <StageBox>
        <Stage
          size={size}
          label={labels.onOf(name, mesh ? mesh.name : shape)}
          pose={pose}
          ready={sheet !== undefined}
        >
          <Subject {...of} look={sheet?.stage} solo={soloOf(sheet, solo)} probe={setPoint} />
        </Stage>
        {other && (
          <Divider split={split} setSplit={setSplit} words={[labels.wordCurrent, other.words]}>
            <FollowingStage size={size} label={`${name}, ${other.words}`} pose={pose}>
              <Subject {...of} look={other.look} solo={null} />
            </FollowingStage>
          </Divider>
        )}
        <ShownOn shape={mesh ? null : shape} mesh={mesh} meshes={meshes} show={show} />
        <Over sx={{ right: 10, bottom: 10 }} role="group" aria-label={labels.stage}>
          <button
            aria-pressed={comparison !== null}
            title={labels.showItBesideAnotherMaterialA}
            onClick={() => compare(comparison ? null : { kind: 'choose' })}
          >
            {labels.compare}
          </button>
          <StageTools />
        </Over>
        {solo && <StageNote>{labels.aloneWithoutLight(INPUT_WORDS[solo].name)}</StageNote>}
      </StageBox>
      {comparison && <CompareBar name={name} comparison={comparison} compare={compare} />}
      <LightTabs />
      {point && <Probe {...point} close={() => setPoint(null)} />}
    </aside>
  )
}

interface SubjectProps {
  name: string
  mesh: MeshFacts | undefined
  shape: ShapeName
  look: StageLook | undefined
  solo: Solo | null
  probe?: (point: Point) => void
}

/** What wears the material: the mesh, its other slots as they are, or a simple shape. */
function Subject({ name, mesh, shape, look, solo, probe }: SubjectProps) {
  const looks = useLooks().data ?? {}
  if (!mesh)
    return (
      <Suspense key={name} fallback={null}>
        <ShapeSubject
          shape={shape}
          look={look}
          solo={solo}
          onProbe={probe && ((uvs) => probe({ material: name, uvs, where: shape }))}
        />
      </Suspense>
    )
  const probed = (slot: string, uvs: [number, number][]) => {
    const material = mesh.assigned[slot]
    if (material) probe?.({ material, uvs, where: `${mesh.name} · ${slot}` })
  }
  return (
    <Suspense key={name} fallback={null}>
      <MeshSubject
        geometryKey={mesh.key}
        renamed={mesh.renamed}
        tint="lit"
        isolated={null}
        onProbe={probe && probed}
        slots={mesh.slots.map((slot) => {
          const assigned = mesh.assigned[slot.name]
          return assigned === name
            ? { slot: slot.name, look, solo }
            : { slot: slot.name, look: assigned ? looks[assigned] : undefined, solo: null }
        })}
      />
    </Suspense>
  )
}

interface ShownOnProps {
  shape: ShapeName | null
  mesh: MeshFacts | undefined
  meshes: MeshFacts[]
  show: (subject: string) => void
}

function ShownOn({ shape, mesh, meshes, show }: ShownOnProps) {
  return (
    <Over
      sx={{ left: 10, top: 10, maxWidth: 'calc(100% - 20px)', flexWrap: 'wrap' }}
      role="group"
      aria-label={labels.shownOn}
    >
      {SHAPES.map((entry) => (
        <button key={entry.key} aria-pressed={shape === entry.key} onClick={() => show(entry.key)}>
          {entry.words}
        </button>
      ))}
      {meshes.map((entry) => (
        <button
          key={entry.name}
          aria-pressed={mesh === entry}
          onClick={() => show(`mesh:${entry.name}`)}
        >
          {entry.name}
        </button>
      ))}
    </Over>
  )
}

/** The look on the other side, once it is known. */
function useOther(
  name: string,
  comparison: Comparison | null,
): { look: StageLook | undefined; words: string } | null {
  const looks = useLooks().data ?? {}
  const input = comparison?.kind === 'without' ? comparison.input : null
  const checkpoint = comparison?.kind === 'checkpoint' ? comparison.id : null
  const without = useWithout(name, input)
  const before = useLooksAt(checkpoint)
  switch (comparison?.kind) {
    case 'without': {
      const words = labels.without(INPUT_WORDS[comparison.input].name.toLowerCase())
      return without.data ? { look: without.data.stage, words } : null
    }
    case 'material':
      return { look: looks[comparison.name], words: comparison.name }
    case 'checkpoint':
      return before.data ? { look: before.data[name], words: labels.atOf(comparison.name) } : null
    default:
      return null
  }
}

/** The material's sheet as it would be if nothing fed an input. */
function useWithout(name: string, input: InputName | null) {
  const id = useProjectId()
  const project = useProject().data
  const entry = project?.document.materials?.[name]
  return useQuery({
    queryKey: ['project-part', id, 'without', project?.revision, name, input],
    queryFn: () =>
      trySheet(id, name, {
        ...entry!,
        inputs: { ...entry!.inputs, [input!]: { ...PLAIN, value: unfed(input!) } },
      }),
    enabled: input !== null && entry !== undefined,
  })
}

/** How every material looked at a checkpoint. */
function useLooksAt(checkpoint: number | null) {
  const id = useProjectId()
  return useQuery({
    queryKey: ['project-part', id, 'at checkpoint', checkpoint],
    queryFn: () =>
      get('/api/projects/{project_id}/stage', {
        params: { path: { project_id: id }, query: { checkpoint } },
      }),
    enabled: checkpoint !== null,
  })
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
      key: `without ${input}`,
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
    <Box className="row" sx={{ padding: '8px 10px', borderTop: '1px solid var(--line)' }}>
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
    </Box>
  )
}
