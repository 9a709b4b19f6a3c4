import { useThree } from '@react-three/fiber'
import { useEffect, useRef } from 'react'
import { Raycaster, Vector2 } from 'three'

/** Lets something that is dragged be dropped on a slot of the mesh on the stage. */
export function DropOn({
  kind,
  drop,
}: {
  kind: string
  drop: (slot: string, what: string) => void
}) {
  const get = useThree((state) => state.get)
  const latest = useRef(drop)
  useEffect(() => {
    latest.current = drop
  })
  useEffect(() => {
    const { gl } = get()
    const canvas = gl.domElement
    const over = (event: DragEvent) => {
      if (event.dataTransfer?.types.includes(kind)) event.preventDefault()
    }
    const dropped = (event: DragEvent) => {
      const what = event.dataTransfer?.getData(kind)
      if (!what) return
      event.preventDefault()
      const { camera, scene } = get()
      const box = canvas.getBoundingClientRect()
      const ray = new Raycaster()
      ray.setFromCamera(
        new Vector2(
          ((event.clientX - box.left) / box.width) * 2 - 1,
          1 - ((event.clientY - box.top) / box.height) * 2,
        ),
        camera,
      )
      const slot = ray
        .intersectObjects(scene.children, true)
        .map((hit) => hit.object.userData.slot as string | undefined)
        .find((name) => name !== undefined)
      if (slot !== undefined) latest.current(slot, what)
    }
    canvas.addEventListener('dragover', over)
    canvas.addEventListener('drop', dropped)
    return () => {
      canvas.removeEventListener('dragover', over)
      canvas.removeEventListener('drop', dropped)
    }
  }, [get, kind])
  return null
}
