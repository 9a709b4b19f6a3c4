import { OrbitControls } from '@react-three/drei'
import { Canvas, useFrame, useThree } from '@react-three/fiber'
import { useEffect, useRef } from 'react'
import type { ReactNode } from 'react'
import { Euler, Group, NeutralToneMapping, NoToneMapping, Quaternion, Vector3 } from 'three'

import { BACKDROPS } from '../theme'
import { Lights } from './Lights'
import { useView } from './view'

const FROM = new Vector3(0.85, 0.72, 1.5)

/** Where the camera and the turntable of a stage are, shared with the stage that is compared with it. */
export interface Pose {
  position: Vector3
  quaternion: Quaternion
  spin: Euler
  changed: Set<() => void>
}

export const newPose = (): Pose => ({
  position: new Vector3(),
  quaternion: new Quaternion(),
  spin: new Euler(),
  changed: new Set(),
})

/** The stage: whatever is put on it, under the chosen light, to be turned and moved round. `follows` shows it from another's pose. */
export function Stage({
  children,
  size,
  label,
  pose,
  follows = false,
}: {
  children: ReactNode
  size: number
  label: string
  pose?: Pose
  follows?: boolean
}) {
  const { light, backdrop } = useView()
  return (
    <div
      style={{ position: 'absolute', inset: 0, background: BACKDROPS[backdrop] }}
      role="img"
      aria-label={label}
      data-testid={follows ? 'stage-compared' : 'stage'}
    >
      <Canvas
        frameloop="demand"
        dpr={[0.5, 2]}
        gl={{ alpha: true, antialias: true, preserveDrawingBuffer: true }}
        camera={{
          fov: 32,
          near: 0.01,
          far: 200,
          position: FROM.clone().multiplyScalar(1.9).toArray(),
        }}
      >
        <Exposure />
        <Lights name={light} />
        <Turntable pose={pose} follows={follows}>
          {children}
        </Turntable>
        {follows && pose ? <Follow pose={pose} /> : <Frame size={size} pose={pose} />}
        {!follows && (
          <OrbitControls
            makeDefault
            enableDamping={false}
            minDistance={0.05}
            maxDistance={100}
            onChange={() => pose?.changed.forEach((tell) => tell())}
          />
        )}
      </Canvas>
    </div>
  )
}

/** Brightness, turning of the light and tone mapping, which belong to the renderer and not to any object. */
function Exposure() {
  const { brightness, lightTurn, toneMapped } = useView()
  const get = useThree((state) => state.get)
  useEffect(() => {
    const { gl, scene, invalidate } = get()
    gl.toneMapping = toneMapped ? NeutralToneMapping : NoToneMapping
    scene.environmentIntensity = brightness
    scene.environmentRotation.y = (lightTurn * Math.PI) / 180
    invalidate()
  }, [brightness, get, lightTurn, toneMapped])
  return null
}

/** Moves the camera so that something `size` across fills the stage, whenever that changes; keeps the shared pose up to date. */
function Frame({ size, pose }: { size: number; pose: Pose | undefined }) {
  const camera = useThree((state) => state.camera)
  const invalidate = useThree((state) => state.invalidate)
  const { width, height } = useThree((state) => state.size)
  const narrow = Math.min(1, width / Math.max(1, height))
  useEffect(() => {
    camera.position
      .copy(FROM)
      .normalize()
      .multiplyScalar((size * 1.82) / narrow)
    camera.lookAt(0, 0, 0)
    invalidate()
  }, [camera, invalidate, narrow, size])
  useFrame(() => {
    pose?.position.copy(camera.position)
    pose?.quaternion.copy(camera.quaternion)
  })
  return null
}

function Follow({ pose }: { pose: Pose }) {
  const invalidate = useThree((state) => state.invalidate)
  useEffect(() => {
    const tell = () => invalidate()
    pose.changed.add(tell)
    // The other stage may still be framing itself.
    const late = setTimeout(tell, 60)
    return () => {
      clearTimeout(late)
      pose.changed.delete(tell)
    }
  }, [invalidate, pose])
  useFrame(({ camera }) => {
    camera.position.copy(pose.position)
    camera.quaternion.copy(pose.quaternion)
  })
  return null
}

function Turntable({
  pose,
  follows,
  children,
}: {
  pose: Pose | undefined
  follows: boolean
  children: ReactNode
}) {
  const { turning, speed } = useView()
  const group = useRef<Group>(null)
  useFrame((state, seconds) => {
    if (!group.current) return
    if (follows && pose) {
      group.current.rotation.copy(pose.spin)
      return
    }
    if (!turning) return
    group.current.rotation.y += (Math.min(seconds, 0.1) * speed * 2 * Math.PI) / 60
    if (pose) {
      pose.spin.copy(group.current.rotation)
      pose.changed.forEach((tell) => tell())
    }
    state.invalidate()
  })
  const invalidate = useThree((state) => state.invalidate)
  useEffect(() => {
    if (turning) invalidate()
  }, [turning, invalidate])
  return <group ref={group}>{children}</group>
}
