// What everybody knows the look of, beside the subject: grey steps, a mirror ball and a matte white one.
import { Color } from 'three'

import { GREYS } from './greys'

const WHITE = new Color().setRGB(1, 1, 1)
const MATTE = new Color().setRGB(0.8, 0.8, 0.8)

/** A reference chart under the light of the stage; `size` is how far the subject reaches. */
export function Chart({ size }: { size: number }) {
  const step = size * 0.1
  const end = step * (GREYS.length / 2 + 1)
  return (
    // Under the subject, and facing whoever looks from where the stage begins.
    <group
      position={[0.112 * size, -0.54 * size, 0.196 * size]}
      rotation={[-0.36, 0.515, 0, 'YXZ']}
    >
      {GREYS.map((grey, at) => (
        <mesh key={grey} position={[(at - (GREYS.length - 1) / 2) * step, 0, 0]}>
          <boxGeometry args={[step * 0.94, step * 1.4, step * 0.2]} />
          <meshStandardMaterial
            roughness={1}
            metalness={0}
            color={new Color().setRGB(grey, grey, grey)}
          />
        </mesh>
      ))}
      <mesh position={[-end, 0, 0]}>
        <sphereGeometry args={[step * 0.8, 48, 24]} />
        <meshStandardMaterial roughness={0.02} metalness={1} color={WHITE} />
      </mesh>
      <mesh position={[end, 0, 0]}>
        <sphereGeometry args={[step * 0.8, 48, 24]} />
        <meshStandardMaterial roughness={1} metalness={0} color={MATTE} />
      </mesh>
    </group>
  )
}
