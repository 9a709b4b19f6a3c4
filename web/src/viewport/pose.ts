import { Euler, Quaternion, Vector3 } from 'three'

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
