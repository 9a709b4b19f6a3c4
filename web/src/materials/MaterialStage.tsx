import { Suspense, useState } from 'react'

import { useLooks, useMeshes } from '../api/queries'
import type { InputName, Sheet } from '../api/types'
import { Stage } from '../stage/Stage'
import { LightTabs } from '../stage/StageBar'
import { MeshSubject, ShapeSubject } from '../stage/Subjects'
import type { ShapeName } from '../stage/shapes'
import { SHAPES } from '../stage/shapes'
import { useView } from '../stage/view'
import { INPUT_WORDS } from '../words'

/** The material under light, on a mesh that wears it or on a simple shape. */
export function MaterialStage({ name, sheet, solo }: { name: string; sheet: Sheet | undefined; solo: InputName | null }) {
  const meshes = (useMeshes().data ?? []).filter((mesh) => mesh.measured && Object.values(mesh.worn).includes(name))
  const looks = useLooks().data ?? {}
  const { turning, setTurning } = useView()
  const [subject, setSubject] = useState<string>('specimen')
  const mesh = meshes.find((entry) => `mesh:${entry.name}` === subject)
  const shape = (mesh ? 'specimen' : SHAPES.some((entry) => entry.key === subject) ? subject : 'specimen') as ShapeName
  const soloKey = solo ? (sheet?.rows.find((row) => row.input === solo)?.picture ?? null) : null
  const size = mesh ? Math.hypot(...mesh.size) : 2
  const onIt = (worn: string | null | undefined) => worn === name
  return (
    <aside className="pane" aria-label="Stage">
      <div className="stage-box">
        <Stage size={size} label={`${name} on ${mesh ? mesh.name : shape}`}>
          <Suspense fallback={null}>
            {mesh ? (
              <MeshSubject
                geometryKey={mesh.key} tint="lit" isolated={null} wire={false}
                slots={mesh.slots.map((slot) => {
                  const worn = mesh.worn[slot.name]
                  return { slot: slot.name, look: onIt(worn) ? sheet?.stage : worn ? looks[worn] : undefined, solo: onIt(worn) ? soloKey : null }
                })}
              />
            ) : (
              <ShapeSubject shape={shape} look={sheet?.stage} solo={soloKey} />
            )}
          </Suspense>
        </Stage>
        <div className="over" style={{ left: 10, top: 10, maxWidth: 'calc(100% - 20px)', flexWrap: 'wrap' }} role="group" aria-label="Shown on">
          {SHAPES.map((entry) => (
            <button key={entry.key} aria-pressed={!mesh && shape === entry.key} onClick={() => setSubject(entry.key)}>{entry.words}</button>
          ))}
          {meshes.map((entry) => (
            <button key={entry.name} aria-pressed={mesh === entry} onClick={() => setSubject(`mesh:${entry.name}`)}>{entry.name}</button>
          ))}
        </div>
        <div className="over" style={{ right: 10, bottom: 10 }}>
          <button aria-pressed={turning} onClick={() => setTurning(!turning)}>Turn slowly</button>
        </div>
        {solo && <span className="stage-note">{INPUT_WORDS[solo].name} alone, without light</span>}
      </div>
      <LightTabs />
    </aside>
  )
}
