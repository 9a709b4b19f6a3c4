import type { ThreeEvent } from '@react-three/fiber'
import { useLoader, useThree } from '@react-three/fiber'
import { useEffect, useMemo } from 'react'
import {
  BackSide,
  Box3,
  BufferAttribute,
  BufferGeometry,
  Color,
  DataTexture,
  DoubleSide,
  Group,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  NearestFilter,
  RepeatWrapping,
  ShaderMaterial,
  Vector3,
} from 'three'
import type { Material } from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import type { StageLook } from '../api/types'
import { RAMP, SLOT_TINTS, STAGE } from '../theme'
import type { SlotPiece } from './decimate'
import { usePieces } from './decimate'
import type { ShapeName } from './shapes'
import { makeShape } from './shapes'
import { setSides, triplanarMaterial, useSidesPreview } from './sidesPreview'
import { useUvPreview, withUvs } from './uvPreview'
import { type Solo, placeTexture, useSoloMaterial, useStageMaterial } from './useMaterial'
import { useView } from './view'

/** A simple shape that wears one look. */
export function ShapeSubject({
  shape,
  look,
  solo,
  onProbe,
}: {
  shape: ShapeName
  look: StageLook | undefined
  solo: Solo | null
  onProbe?: (uvs: [number, number][]) => void
}) {
  const geometry = useMemo(() => makeShape(shape), [shape])
  useEffect(() => () => geometry.dispose(), [geometry])
  const lit = useStageMaterial(look)
  const flat = useSoloMaterial(solo, look)
  return (
    <group position={[0, shape === 'specimen' ? 0.1 : 0, 0]}>
      <mesh
        geometry={geometry}
        material={flat ?? lit}
        onClick={(event) => probed(event, onProbe)}
      />
      <Overlays geometry={geometry} />
    </group>
  )
}

/** Tells the UVs under a click, but not at the end of a drag. */
function probed(
  event: ThreeEvent<MouseEvent>,
  onProbe: ((uvs: [number, number][]) => void) | undefined,
) {
  event.stopPropagation()
  if (event.delta < 4 && event.uv && onProbe)
    onProbe([event.uv, event.uv1].flatMap((uv) => (uv ? [[uv.x, uv.y]] : [])))
}

/** What lies over a surface on request: its wires, its back faces, a checker on its UVs. */
function Overlays({ geometry }: { geometry: BufferGeometry }) {
  const { wire, backs, checker } = useView()
  const invalidate = useThree((state) => state.invalidate)
  useEffect(() => invalidate(), [wire, backs, checker, invalidate])
  const lines = useMemo(
    () =>
      new MeshBasicMaterial({
        color: new Color(STAGE.wire),
        wireframe: true,
        transparent: true,
        opacity: 0.45,
      }),
    [],
  )
  const behind = useMemo(
    () =>
      new ShaderMaterial({
        uniforms: {
          plain: { value: new Color(STAGE.back) },
          stripe: { value: new Color(STAGE.backStripe) },
        },
        vertexShader:
          'void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }',
        fragmentShader: STRIPES,
        side: BackSide,
        polygonOffset: true,
        polygonOffsetFactor: -1,
      }),
    [],
  )
  const squares = useMemo(
    () =>
      new MeshBasicMaterial({
        map: checkerTexture(),
        polygonOffset: true,
        polygonOffsetFactor: -2,
      }),
    [],
  )
  return (
    <>
      {checker && <mesh geometry={geometry} material={squares} raycast={() => null} />}
      {backs && <mesh geometry={geometry} material={behind} raycast={() => null} />}
      {wire && <mesh geometry={geometry} material={lines} raycast={() => null} />}
    </>
  )
}

/** Every second copy of a map tinted, as far as its colours repeat: where it begins again is seen. */
function Copies({ geometry, look }: { geometry: BufferGeometry; look: StageLook }) {
  const invalidate = useThree((state) => state.invalidate)
  const lies = JSON.stringify((look.places.base ?? look).uv)
  const veil = useMemo(() => {
    const uv = JSON.parse(lies) as StageLook['uv']
    const codes = new Uint8Array(16)
    for (const [at, opacity] of [0, 140, 140, 0].entries())
      codes.set([255, 255, 255, opacity], at * 4)
    const map = new DataTexture(codes, 2, 2)
    map.wrapS = map.wrapT = RepeatWrapping
    map.magFilter = NearestFilter
    map.channel = uv.set ?? 0
    placeTexture(map, uv, 2)
    map.needsUpdate = true
    return new MeshBasicMaterial({
      map,
      color: new Color(RAMP.high),
      transparent: true,
      side: DoubleSide,
      polygonOffset: true,
      polygonOffsetFactor: -1,
    })
  }, [lies])
  useEffect(() => {
    invalidate()
    return () => {
      veil.map?.dispose()
      veil.dispose()
    }
  }, [invalidate, veil])
  return <mesh geometry={geometry} material={veil} raycast={() => null} />
}

/** Stripes across the screen: what is seen from behind is told without its colour as well. */
const STRIPES = `
  uniform vec3 plain;
  uniform vec3 stripe;
  void main() {
    float across = fract((gl_FragCoord.x + gl_FragCoord.y) / 12.0);
    gl_FragColor = vec4(across < 0.3 ? stripe : plain, 1.0);
    #include <colorspace_fragment>
  }
`

function checkerTexture(): DataTexture {
  const side = 10
  const codes = new Uint8Array(side * side * 4)
  for (let i = 0; i < side * side; i += 1) {
    const even = (i + Math.floor(i / side)) % 2 === 0
    codes.set([even ? 230 : 70, even ? 230 : 70, even ? 230 : 70, 255], i * 4)
  }
  const texture = new DataTexture(codes, side, side)
  texture.wrapS = texture.wrapT = RepeatWrapping
  texture.magFilter = NearestFilter
  texture.needsUpdate = true
  return texture
}

export interface SlotView {
  slot: string
  look: StageLook | undefined
  solo?: Solo | null
}

export type SlotTint = 'lit' | 'slots'

/** A mesh with a look on each slot; one slot can be isolated, and slots can be tinted. */
export function MeshSubject({
  geometryKey,
  renamed,
  slots,
  tint,
  isolated,
  paint = {},
  hidden = [],
  copies = false,
  exact = false,
  onHover,
  onPick,
  onProbe,
}: {
  geometryKey: string
  renamed: Renamed
  /** Colours of every triangle, red, green and blue from 0 to 1 in linear light, by slot: shown instead of the look. */
  paint?: Record<string, Float32Array>
  hidden?: string[]
  /** Whether every second copy of a map that repeats is tinted. */
  copies?: boolean
  /** Whether single triangles count, so that all of them are drawn, however many. */
  exact?: boolean
  slots: SlotView[]
  tint: SlotTint
  isolated: string | null
  onProbe?: (slot: string, uvs: [number, number][]) => void
  onHover?: (slot: string | null) => void
  onPick?: (slot: string, face: number, more: boolean) => void
}) {
  const gltf = useLoader(GLTFLoader, `/api/mesh-geometry/${geometryKey}.glb`)
  const { pieces: all, centre } = useMemo(() => piecesOf(gltf.scene, renamed), [gltf, renamed])
  const wires = useView((state) => state.wire)
  const tried = useUvPreview((state) => state.of === geometryKey)
  const told = exact || wires || tried || onProbe !== undefined || Object.keys(paint).length > 0
  const pieces = usePieces(geometryKey, all, told)
  return (
    <group position={centre.clone().negate()}>
      {pieces
        .filter(({ slot }) => !hidden.includes(slot))
        .map(({ slot, geometry }) => {
          const number = slots.findIndex((view) => view.slot === slot)
          const view = slots[number]
          return (
            <Piece
              key={slot}
              slot={slot}
              geometry={geometry}
              geometryKey={geometryKey}
              look={view?.look}
              solo={view?.solo ?? null}
              paint={paint[slot] ?? null}
              copies={copies}
              onProbe={onProbe && ((uvs) => onProbe(slot, uvs))}
              tint={tint === 'slots' ? SLOT_TINTS[number % SLOT_TINTS.length]! : null}
              ghost={isolated !== null && isolated !== slot}
              onHover={(over) => onHover?.(over ? slot : null)}
              onPick={(face, more) => onPick?.(slot, face, more)}
            />
          )
        })}
    </group>
  )
}

interface PieceProps {
  slot: string
  geometry: BufferGeometry
  geometryKey: string
  paint: Float32Array | null
  copies: boolean
  look: StageLook | undefined
  solo: Solo | null
  tint: string | null
  ghost: boolean
  onHover: (over: boolean) => void
  onPick: (face: number, more: boolean) => void
  onProbe: ((uvs: [number, number][]) => void) | undefined
}

/** The geometry with UVs that are being tried, null while none are. */
function useTriedUvs(geometryKey: string, slot: string, geometry: BufferGeometry) {
  const invalidate = useThree((state) => state.invalidate)
  const tried = useUvPreview((state) =>
    state.of === geometryKey ? (state.corners[slot] ?? null) : null,
  )
  const other = useMemo(() => (tried ? withUvs(geometry, tried) : null), [geometry, tried])
  useEffect(() => {
    invalidate()
    return () => other?.dispose()
  }, [other, invalidate])
  return other
}

/** The geometry with the colours of a measure, null where none is shown. */
function usePainted(geometry: BufferGeometry, paint: Float32Array | null) {
  const coloured = useMemo(() => (paint ? painted(geometry, paint) : null), [geometry, paint])
  useEffect(() => () => coloured?.dispose(), [coloured])
  return coloured
}

/** Materials that are no one's: the tint of a slot, what stands aside, and the colours of a measure. */
function usePlainMaterials(tint: string | null) {
  const tinted = useMemo(
    () =>
      tint
        ? new MeshStandardMaterial({ color: new Color(tint), roughness: 0.85, side: DoubleSide })
        : null,
    [tint],
  )
  const faint = useMemo(
    () =>
      new MeshBasicMaterial({
        color: new Color(STAGE.ghost),
        transparent: true,
        opacity: 0.12,
        depthWrite: false,
      }),
    [],
  )
  const plain = useMemo(() => new MeshLambertMaterial({ vertexColors: true, side: DoubleSide }), [])
  useEffect(() => () => tinted?.dispose(), [tinted])
  return { tinted, faint, plain }
}

function Piece({
  slot,
  geometry,
  geometryKey,
  paint,
  copies,
  look,
  solo,
  tint,
  ghost,
  onHover,
  onPick,
  onProbe,
}: PieceProps) {
  const lit = useStageMaterial(look)
  const flat = useSoloMaterial(solo, look)
  const invalidate = useThree((state) => state.invalidate)
  const { tinted, faint, plain } = usePlainMaterials(tint)
  const other = useTriedUvs(geometryKey, slot, geometry)
  const thrown = useThrown(geometryKey, slot, lit)
  const coloured = usePainted(geometry, paint)
  // UVs that are tried are seen on the surface, also on faces that are marked as picked.
  const shown = other ?? coloured ?? geometry
  const worn = thrown ?? flat ?? tinted ?? lit
  useEffect(() => invalidate(), [ghost, tinted, flat, lit, thrown, coloured, invalidate])
  return (
    <>
      <mesh
        geometry={shown}
        material={ghost ? faint : shown === coloured ? plain : worn}
        userData={{ slot }}
        onPointerOver={(event) => {
          event.stopPropagation()
          onHover(true)
        }}
        onPointerOut={() => onHover(false)}
        onClick={(event) => {
          probed(event, onProbe)
          if (event.delta < 4) onPick(event.faceIndex ?? 0, event.shiftKey || event.ctrlKey)
        }}
      />
      {!ghost && (
        <>
          {copies && look && <Copies geometry={other ?? geometry} look={look} />}
          <Overlays geometry={geometry} />
        </>
      )}
    </>
  )
}

/** What a slot wears as it would be thrown from three sides, while that is being decided. */
function useThrown(of: string, slot: string, lit: Material): MeshStandardMaterial | null {
  const sides = useSidesPreview((state) =>
    state.of === of && state.slot === slot ? state.sides : null,
  )
  const invalidate = useThree((state) => state.invalidate)
  const shown = sides !== null
  const made = useMemo(
    () => (shown && lit instanceof MeshPhysicalMaterial ? triplanarMaterial(lit) : null),
    [lit, shown],
  )
  useEffect(() => () => made?.dispose(), [made])
  useEffect(() => {
    if (made && sides) setSides(made, sides)
    invalidate()
  }, [invalidate, made, sides])
  return made
}

/** A geometry whose triangles have colours of their own. */
function painted(geometry: BufferGeometry, colours: Float32Array): BufferGeometry {
  const apart = geometry.index ? geometry.toNonIndexed() : geometry.clone()
  const corners = apart.getAttribute('position').count
  const filled = new Float32Array(corners * 3)
  for (let corner = 0; corner < corners; corner += 1) {
    for (let channel = 0; channel < 3; channel += 1)
      filled[corner * 3 + channel] = colours[Math.floor(corner / 3) * 3 + channel] ?? 0.5
  }
  apart.setAttribute('color', new BufferAttribute(filled, 3))
  return apart
}

/** What slots are called now, by what the geometry calls them, where that differs. */
export type Renamed = Readonly<Record<string, string>>

/** The pieces of a mesh's geometry, called as its slots are called now. */
export function piecesOf(
  scene: Group,
  renamed: Renamed,
): {
  pieces: SlotPiece[]
  centre: Vector3
  size: number
} {
  const pieces: SlotPiece[] = []
  scene.updateMatrixWorld(true)
  scene.traverse((object) => {
    if (object instanceof Mesh) {
      // A primitive's extras, where the slot's name stands, become the geometry's user data.
      const slot = (object.geometry.userData.slot ?? object.userData.slot ?? object.name) as string
      pieces.push({ slot: renamed[slot] ?? slot, geometry: object.geometry as BufferGeometry })
    }
  })
  const box = new Box3().setFromObject(scene)
  return { pieces, centre: box.getCenter(new Vector3()), size: box.getSize(new Vector3()).length() }
}
