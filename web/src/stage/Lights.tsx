import { Environment, Lightformer } from '@react-three/drei'
import { useMemo } from 'react'
import { BackSide, Color } from 'three'

import { STAGE } from '../theme'
import type { LightName } from './view'
import { useView } from './view'

const LAMPS: Partial<
  Record<LightName, { place: [number, number, number]; intensity: number; color?: string }>
> = {
  'low-sun': { place: [-4, 1.3, 2.2], intensity: 3.2, color: STAGE.warm },
  rim: { place: [2.5, 1.5, -4], intensity: 2.4, color: STAGE.cool },
  'grey-room': { place: [2, 4, 3], intensity: 0.8 },
}

/** Light set-ups, each made to show other faults. Surroundings are made of plain panels; nothing is loaded. */
export function Lights({ name }: { name: LightName }) {
  const { brightness, lightTurn } = useView()
  // The same elements for as long as the set-up is: others would be filtered into reflections anew.
  const panels = useMemo(() => surroundings(name), [name])
  const lamp = LAMPS[name] ?? { place: [0, 1, 0], intensity: 0 }
  return (
    <>
      <Environment key={name} resolution={128} frames={1}>
        {panels}
      </Environment>
      <group rotation={[0, (lightTurn * Math.PI) / 180, 0]}>
        {/* One lamp always, dark where a set-up has none: with another number of lamps every shader would be built again. */}
        <directionalLight
          position={lamp.place}
          intensity={lamp.intensity * brightness}
          color={lamp.color ?? STAGE.white}
        />
        {name === 'points' &&
          (
            [
              [-1.6, 1.8, 1.6],
              [1.8, 1.2, 1.2],
              [0.3, 2.2, -1.6],
              [-0.4, 0.9, 2.4],
            ] as const
          ).map((place) => (
            <pointLight
              key={place.join()}
              position={[...place]}
              intensity={5 * brightness}
              decay={2}
            />
          ))}
      </group>
    </>
  )
}

function surroundings(name: LightName) {
  const sky = (intensity: number, color: string = STAGE.white) => (
    <mesh scale={40}>
      <sphereGeometry args={[1, 32, 16]} />
      <meshBasicMaterial
        color={new Color(color).multiplyScalar(intensity)}
        side={BackSide}
        toneMapped={false}
      />
    </mesh>
  )
  const panel = (
    position: [number, number, number],
    width: number,
    height: number,
    intensity: number,
    color: string = STAGE.white,
  ) => (
    <Lightformer
      form="rect"
      position={position}
      scale={[width, height, 1]}
      intensity={intensity}
      color={color}
      target={[0, 0, 0]}
    />
  )
  switch (name) {
    case 'overcast':
      return (
        <>
          {sky(1)}
          {panel([0, 9, 0], 18, 18, 1.1)}
          {panel([0, -9, 0], 18, 18, 0.15)}
        </>
      )
    case 'low-sun':
      return (
        <>
          {sky(0.5, STAGE.cool)}
          {panel([-9, 2.5, 4], 6, 3, 5, STAGE.warm)}
          {panel([5, 8, 4], 7, 7, 1.6)}
          {panel([0, -8, 0], 16, 16, 0.3)}
        </>
      )
    case 'points':
      return (
        <>
          {sky(0.14)}
          {panel([-4, 6, 3], 0.7, 0.7, 26)}
          {panel([5, 4, 2], 0.5, 0.5, 30)}
          {panel([1, 7, -4], 0.6, 0.6, 20)}
        </>
      )
    case 'rim':
      return (
        <>
          {sky(0.012)}
          {panel([6, 4, -7], 3, 8, 2.4, STAGE.cool)}
          {panel([-7, 3, -5], 1.5, 8, 1.2, STAGE.cool)}
        </>
      )
    default:
      return (
        <>
          {sky(0.42)}
          {panel([0, 8, 0], 6, 6, 2.2)}
          {panel([-8, 2, 0], 5, 7, 0.8)}
          {panel([8, 2, 0], 5, 7, 0.5)}
          {panel([0, 2, 8], 7, 5, 0.6)}
          {panel([0, -7, 0], 12, 12, 0.25)}
        </>
      )
  }
}
