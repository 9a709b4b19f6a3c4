import { useFrame, useLoader, useThree } from '@react-three/fiber'
import { useEffect, useLayoutEffect, useMemo } from 'react'
import { AnimationMixer, Box3, Mesh, Vector3 } from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { clone } from 'three/addons/utils/SkeletonUtils.js'

import type { StageLook } from '../api/types'
import type { Renamed } from './Subjects'
import { useStageMaterial } from './useMaterial'

/** What is tried of a scene: an animation that plays, and weights of morph targets by their numbers. */
export interface Tried {
  /** The key of the mesh that it is tried on. */
  mesh: string
  animation: number | null
  morphs: Record<number, number>
}

interface Props {
  url: string
  looks: Record<string, StageLook | undefined>
  renamed: Renamed
  tried: Tried
}

/** The whole scene of a file with a look on each slot, as it moves: skins, hierarchy, morph targets. */
export function SceneSubject({ url, looks, renamed, tried }: Props) {
  const gltf = useLoader(GLTFLoader, url)
  const invalidate = useThree((state) => state.invalidate)
  const { root, parts, centre } = useMemo(() => {
    const root = clone(gltf.scene)
    root.updateMatrixWorld(true)
    const parts: Mesh[] = []
    root.traverse((object) => {
      if (object instanceof Mesh) parts.push(object)
    })
    return { root, parts, centre: new Box3().setFromObject(root).getCenter(new Vector3()) }
  }, [gltf])
  const mixer = useMemo(() => new AnimationMixer(root), [root])
  const { animation, morphs } = tried
  useEffect(() => {
    const clip = animation === null ? undefined : gltf.animations[animation]
    if (!clip) return
    mixer.clipAction(clip).play()
    invalidate()
    return () => {
      mixer.stopAllAction()
      invalidate()
    }
  }, [mixer, gltf, animation, invalidate])
  useEffect(() => {
    weigh(parts, morphs)
    invalidate()
  }, [parts, morphs, invalidate])
  useFrame((_, seconds) => {
    if (animation === null) return
    // A frame that was long in coming does not make it jump.
    mixer.update(Math.min(seconds, 0.1))
    invalidate()
  })
  return (
    <group position={centre.clone().negate()}>
      <primitive object={root} />
      {parts.map((part) => (
        <Dressed key={part.uuid} part={part} look={looks[renamed[slotOf(part)] ?? slotOf(part)]} />
      ))}
    </group>
  )
}

const slotOf = (part: Mesh) =>
  (part.geometry.userData.slot ?? part.userData.slot ?? part.name) as string

function weigh(parts: Mesh[], morphs: Record<number, number>) {
  for (const part of parts)
    for (const [number, weight] of Object.entries(morphs))
      if (part.morphTargetInfluences && Number(number) < part.morphTargetInfluences.length)
        part.morphTargetInfluences[Number(number)] = weight
}

/** Puts a look on one part of a scene. */
function Dressed({ part, look }: { part: Mesh; look: StageLook | undefined }) {
  const material = useStageMaterial(look)
  useLayoutEffect(() => dress(part, material), [part, material])
  return null
}

function dress(part: Mesh, material: Mesh['material']) {
  part.material = material
  // Its bounds are those of the bind pose, out of which it may move.
  part.frustumCulled = false
}
