import { OrbitControls } from '@react-three/drei'
import { Canvas, useFrame, useThree } from '@react-three/fiber'
import { useEffect, useRef } from 'react'
import type { ReactNode } from 'react'
import { Group, NeutralToneMapping, Vector3 } from 'three'

import { Lights } from './Lights'
import { useView } from './view'

const FROM = new Vector3(0.85, 0.72, 1.5)

/** The stage: whatever is put on it, under the chosen light, to be turned and moved round. */
export function Stage({ children, size, label }: { children: ReactNode; size: number; label: string }) {
  const { light, turning } = useView()
  return (
    <div style={{ position: 'absolute', inset: 0, background: 'var(--stage)' }} role="img" aria-label={label} data-testid="stage">
      <Canvas
        frameloop="demand" dpr={[1, 2]} flat={false}
        gl={{ alpha: true, antialias: true, preserveDrawingBuffer: true, toneMapping: NeutralToneMapping }}
        camera={{ fov: 32, near: 0.01, far: 200, position: FROM.clone().multiplyScalar(1.9).toArray() }}
      >
        <Lights name={light} />
        <Turntable turning={turning}>{children}</Turntable>
        <Frame size={size} />
        <OrbitControls makeDefault enableDamping={false} minDistance={0.05} maxDistance={100} />
      </Canvas>
    </div>
  )
}

/** Moves the camera so that something `size` across fills the stage, whenever that changes. */
function Frame({ size }: { size: number }) {
  const camera = useThree((state) => state.camera)
  const invalidate = useThree((state) => state.invalidate)
  const { width, height } = useThree((state) => state.size)
  const narrow = Math.min(1, width / Math.max(1, height))
  useEffect(() => {
    camera.position.copy(FROM).normalize().multiplyScalar((size * 1.82) / narrow)
    camera.lookAt(0, 0, 0)
    invalidate()
  }, [camera, invalidate, narrow, size])
  return null
}

function Turntable({ turning, children }: { turning: boolean; children: ReactNode }) {
  const group = useRef<Group>(null)
  useFrame((state, seconds) => {
    if (!turning || !group.current) return
    group.current.rotation.y += Math.min(seconds, 0.1) * 0.5
    state.invalidate()
  })
  const invalidate = useThree((state) => state.invalidate)
  useEffect(() => {
    if (turning) invalidate()
  }, [turning, invalidate])
  return <group ref={group}>{children}</group>
}
