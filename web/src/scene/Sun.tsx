import { useFrame, useThree } from '@react-three/fiber'
import { useLayoutEffect, useRef } from 'react'
import type { DirectionalLight, Group, Material, Vector3 } from 'three'
import { Mesh } from 'three'

import type { Sun as Stated } from '../api/types'
import { useView } from '../viewport/view'

/** A sun with shadows. It stays where it is when the scene turns, as the light set-up does. */
export function Sun({
  sun: { turn = 35, height = 40, strength = 3 },
  middle,
  radius,
}: {
  sun: Stated
  middle: Vector3
  radius: number
}) {
  const get = useThree((state) => state.get)
  const shadows = useView((state) => state.shadows)
  const group = useRef<Group>(null)
  const light = useRef<DirectionalLight>(null)
  useLayoutEffect(() => {
    const { gl, scene, invalidate } = get()
    const renew = () =>
      scene.traverse((thing) => {
        if (thing instanceof Mesh) (thing.material as Material).needsUpdate = true
      })
    gl.shadowMap.enabled = true
    renew()
    invalidate()
    return () => {
      gl.shadowMap.enabled = shadows
      renew()
    }
  }, [get, shadows])
  const [around, above] = [(turn * Math.PI) / 180, (height * Math.PI) / 180]
  const far = 4 * radius
  const at = [
    middle.x + far * Math.cos(above) * Math.sin(around),
    middle.y + far * Math.sin(above),
    middle.z + far * Math.cos(above) * Math.cos(around),
  ] as const
  useLayoutEffect(() => {
    const sun = light.current
    if (!sun) return
    sun.target.position.copy(middle)
    sun.target.updateMatrixWorld()
    const { camera } = sun.shadow
    camera.left = camera.bottom = -radius
    camera.right = camera.top = radius
    camera.near = far - 2 * radius
    camera.far = far + 2 * radius
    camera.updateProjectionMatrix()
    get().invalidate()
  })
  useFrame(() => {
    if (group.current?.parent) group.current.rotation.y = -group.current.parent.rotation.y
  })
  return (
    <group ref={group}>
      <directionalLight
        ref={light}
        position={at}
        intensity={strength}
        castShadow
        shadow-mapSize={[2048, 2048]}
        shadow-normalBias={0.003 * radius}
      />
    </group>
  )
}
