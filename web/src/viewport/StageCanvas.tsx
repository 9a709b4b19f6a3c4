import { OrbitControls } from '@react-three/drei'
import { Canvas, useFrame, useThree } from '@react-three/fiber'
import { useEffect, useReducer, useRef, useState } from 'react'
import type { ReactNode } from 'react'
import { createPortal } from 'react-dom'
import type { Group } from 'three'
import { CustomToneMapping, NeutralToneMapping, Vector3 } from 'three'
import type { OrbitControls as Controls } from 'three/addons/controls/OrbitControls.js'

import './hue'
import { RenderBoundary } from './RenderBoundary'
import { Chart } from './Chart'
import { Lights, LightsAhead } from './Lights'
import { useKeptPanorama } from './PanoramaPick'
import type { Shown } from './sharedCanvas'
import { useSharedCanvas } from './sharedCanvas'
import type { Pose } from './pose'
import { drawing } from './software'
import { useView } from './view'
import { labels } from '../words/viewport'

const LOST = labels.theGraphicsDriverWasResetWhat
const FROM = new Vector3(0.85, 0.72, 1.5)

/** Keeps the stage's canvas for as long as a project is open, whichever screen it stands on. */
export function CanvasKeeper() {
  const element = useSharedCanvas((state) => state.element)
  const shown = useSharedCanvas((state) => state.shown)
  const [began, begin] = useState(false)
  useKeptPanorama(began)
  if (shown && !began) begin(true)
  if (!began) return null
  return createPortal(
    <StageCanvas size={shown?.size ?? 1} pose={shown?.pose} framed={shown?.framed} follows={false}>
      {shown?.children}
    </StageCanvas>,
    element,
  )
}

/** A canvas with what is on the stage, under the chosen light. `follows` shows it from another's pose. */
export function StageCanvas({
  children,
  size,
  pose,
  framed = true,
  follows,
}: Shown & {
  follows: boolean
}) {
  const { light, chart, shadows } = useView()
  const [context, renew] = useReducer((count: number) => count + 1, 0)
  return (
    <RenderBoundary of={children}>
      <Canvas
        key={context}
        frameloop="demand"
        shadows={shadows}
        dpr={[0.5, 2]}
        // Smoothed edges are four samples a texel, which only a graphics card has to spare.
        gl={{ alpha: true, antialias: drawing() === 'card', preserveDrawingBuffer: true }}
        camera={{
          fov: 32,
          near: 0.01,
          far: 200,
          position: FROM.clone().multiplyScalar(1.9).toArray(),
        }}
      >
        <Context renew={renew} />
        <Exposure />
        <Lights name={light} size={size} />
        {!follows && <LightsAhead />}
        {chart && <Chart size={size} />}
        <Turntable pose={pose} follows={follows}>
          <RenderBoundary>{children}</RenderBoundary>
        </Turntable>
        {follows && pose ? <Follow pose={pose} /> : <Told pose={pose} />}
        {!follows && framed && <Frame size={size} pose={pose} />}
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
    </RenderBoundary>
  )
}

/** A driver can take a context away, with all that was filtered in it; once it gives it back everything is made anew. */
function Context({ renew }: { renew: () => void }) {
  const canvas = useThree((state) => state.gl.domElement)
  useEffect(() => {
    const { fail } = useSharedCanvas.getState()
    const lost = () => {
      canvas.style.visibility = 'hidden'
      fail('context', LOST)
    }
    canvas.addEventListener('webglcontextlost', lost)
    canvas.addEventListener('webglcontextrestored', renew)
    return () => {
      canvas.removeEventListener('webglcontextlost', lost)
      canvas.removeEventListener('webglcontextrestored', renew)
      fail('context', null)
    }
  }, [canvas, renew])
  return null
}

/** Brightness, turning of the light and tone mapping, which belong to the renderer and not to any object. */
function Exposure() {
  const { brightness, lightTurn, toneMapped } = useView()
  const get = useThree((state) => state.get)
  useEffect(() => {
    const { gl, scene, invalidate } = get()
    gl.toneMapping = toneMapped ? NeutralToneMapping : CustomToneMapping
    scene.environmentIntensity = brightness
    scene.environmentRotation.y = (lightTurn * Math.PI) / 180
    invalidate()
  }, [brightness, get, lightTurn, toneMapped])
  // Where nothing was drawn aside yet the library rounds its viewport, later it cuts it: half a texel at fractional scales.
  useFrame(({ gl }) => gl.setRenderTarget(null))
  return null
}

/** Keeps the pose up to date. */
function Told({ pose }: { pose: Pose | undefined }) {
  useFrame(({ camera }) => {
    pose?.position.copy(camera.position)
    pose?.quaternion.copy(camera.quaternion)
  })
  return null
}

/** Moves the camera so that something `size` across fills the stage, whenever that or the pose changes. */
function Frame({ size, pose }: { size: number; pose: Pose | undefined }) {
  const camera = useThree((state) => state.camera)
  const controls = useThree((state) => state.controls) as Controls | null
  const invalidate = useThree((state) => state.invalidate)
  const { width, height } = useThree((state) => state.size)
  // Things are wider than high as they stand: a narrow stage is left further back.
  const back = Math.max(1, (1.2 * height) / Math.max(1, width))
  useEffect(() => {
    camera.position
      .copy(FROM)
      .normalize()
      .multiplyScalar(size * 1.82 * back)
    controls?.target.set(0, 0, 0)
    camera.lookAt(0, 0, 0)
    invalidate()
  }, [camera, controls, invalidate, back, pose, size])
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
  // A stage with a pose of its own begins unturned.
  useEffect(() => void group.current?.rotation.set(0, 0, 0), [pose])
  useEffect(() => {
    if (turning) invalidate()
  }, [turning, invalidate])
  return <group ref={group}>{children}</group>
}
