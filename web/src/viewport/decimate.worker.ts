import { MeshoptSimplifier } from 'meshoptimizer/simplifier'

import type { Answer, Task } from './decimate'

/** How far the surface may move, as a share of its extent, before triangles are kept instead. */
const FARTHEST = 0.004
/** What a change of UVs counts for, and one of normals, beside one of places: where maps lie is what is judged. */
const WEIGHTS = [1, 1, 0.3, 0.3, 0.3]

self.onmessage = ({ data }: MessageEvent<Task>) => {
  void lighter(data).then((answer) => self.postMessage(answer))
}

/** Fewer triangles between the same vertices; the borders of a slot stay, so that no gap opens beside the next. */
async function lighter({ number, index, positions, beside, triangles }: Task): Promise<Answer> {
  try {
    await MeshoptSimplifier.ready
    const [fewer] = MeshoptSimplifier.simplifyWithAttributes(
      index,
      positions,
      3,
      beside,
      WEIGHTS.length,
      WEIGHTS,
      null,
      3 * triangles,
      FARTHEST,
      ['LockBorder'],
    )
    return { number, index: fewer }
  } catch {
    return { number, index: null }
  }
}
