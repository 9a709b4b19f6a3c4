import type { RootState } from '@react-three/fiber'
import { addAfterEffect, useThree } from '@react-three/fiber'
import { useEffect, useRef } from 'react'
import type { Object3D, PerspectiveCamera } from 'three'
import { Vector3 } from 'three'
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js'

import type { Seen } from './cameraApi'
import { useCameraApi } from './cameraApi'
import { labels } from '../words/scene'

const FROM = new Vector3(0.55, 0.5, 1.5).normalize()
const AS_USUAL = { near: 0.01, far: 200, least: 0.05, most: 100 }

interface Props {
  middle: Vector3
  radius: number
  /** From where it was seen when one left; nothing at the first time. */
  first: Seen | null
  left: (view: Seen) => void
}

/** The camera of the scene: it stays where it is put, whatever is moved; and tells what is drawn. */
export function SceneCamera({ middle, radius, first, left }: Props) {
  const get = useThree((state) => state.get)
  const ready = useThree((state) => state.controls !== null)
  const bounds = useRef({ middle, radius })
  const begin = useRef(first)
  useEffect(() => {
    bounds.current = { middle, radius }
    const camera = get().camera as PerspectiveCamera
    camera.near = Math.max(0.005, radius / 500)
    camera.far = Math.max(AS_USUAL.far, radius * 60)
    camera.updateProjectionMatrix()
    const controls = get().controls as OrbitControls | null
    if (controls) controls.maxDistance = Math.max(AS_USUAL.most, radius * 20)
  }, [ready, get, middle, radius])
  useEffect(() => {
    const controls = get().controls as OrbitControls | null
    if (!ready || !controls) return
    const camera = get().camera as PerspectiveCamera
    const seen = (): Seen => ({
      position: camera.position.toArray(),
      target: controls.target.toArray(),
    })
    const go = (view: Seen) => {
      camera.position.set(...view.position)
      controls.target.set(...view.target)
      controls.update()
      get().invalidate()
    }
    const fit = () => {
      const { middle, radius } = bounds.current
      const { width, height } = get().size
      const narrow = Math.min(1, width / Math.max(1, height))
      const far = (0.8 * radius) / Math.sin((camera.fov * Math.PI) / 360) / narrow
      go({
        position: FROM.clone().multiplyScalar(far).add(middle).toArray(),
        target: middle.toArray(),
      })
    }
    const keep = () => left(seen())
    const { wanted, set } = useCameraApi.getState()
    begin.current = wanted ?? begin.current
    if (begin.current) go(begin.current)
    else fit()
    if (wanted) keep()
    set({
      wanted: null,
      hand: {
        seen,
        go: (view) => {
          go(view)
          keep()
        },
        fit: () => {
          fit()
          keep()
        },
        still: (width, height, background) => still(get, width, height, background),
      },
    })
    controls.addEventListener('end', keep)
    return () => {
      controls.removeEventListener('end', keep)
      set({ hand: null, drawn: null })
      camera.near = AS_USUAL.near
      camera.far = AS_USUAL.far
      camera.updateProjectionMatrix()
      controls.maxDistance = AS_USUAL.most
      controls.target.set(0, 0, 0)
    }
  }, [ready, get, left])
  useEffect(
    () =>
      addAfterEffect(() => {
        const { calls, triangles } = get().gl.info.render
        const { drawn, set } = useCameraApi.getState()
        if (calls > 0 && (drawn?.draws !== calls || drawn.triangles !== triangles))
          set({ drawn: { draws: calls, triangles } })
      }),
    [get],
  )
  return null
}

/** One picture at a size of its own, without marks; the canvas is as it was afterwards. */
async function still(
  get: () => RootState,
  width: number,
  height: number,
  background: string | null,
): Promise<Blob> {
  const { gl, scene, size, viewport, invalidate } = get()
  const camera = get().camera as PerspectiveCamera
  const picture = document.createElement('canvas')
  picture.width = width
  picture.height = height
  const paper = picture.getContext('2d')!
  const marks: Object3D[] = []
  scene.traverse((thing) => {
    if (thing.userData.mark && thing.visible) marks.push(thing)
  })
  const marked = (visible: boolean) => marks.forEach((mark) => (mark.visible = visible))
  try {
    marked(false)
    gl.setPixelRatio(1)
    gl.setSize(width, height, false)
    camera.aspect = width / height
    camera.updateProjectionMatrix()
    gl.render(scene, camera)
    if (background !== null) {
      paper.fillStyle = background
      paper.fillRect(0, 0, width, height)
    }
    paper.drawImage(gl.domElement, 0, 0, width, height)
  } finally {
    marked(true)
    gl.setPixelRatio(viewport.dpr)
    gl.setSize(size.width, size.height, false)
    camera.aspect = size.width / size.height
    camera.updateProjectionMatrix()
    invalidate()
  }
  return new Promise((done, fail) =>
    picture.toBlob((blob) => (blob ? done(blob) : fail(new Error(labels.thePictureIsTooLarge)))),
  )
}
