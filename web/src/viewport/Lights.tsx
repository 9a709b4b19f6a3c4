import { useFrame, useThree } from '@react-three/fiber'
import { useEffect, useLayoutEffect } from 'react'
import type { Material, Texture, WebGLRenderer } from 'three'
import {
  BackSide,
  Mesh,
  PMREMGenerator,
  Scene,
  ShaderMaterial,
  SphereGeometry,
  Vector3,
} from 'three'

import { FILTERED_LIGHTS, LIGHT_TABLE, PANEL_EDGE } from '../api/tables'
import { fetchedLight } from './filteredLights'
import { shownPanorama, usePanorama } from './panorama'
import { drawing } from './software'
import type { LightName } from './view'
import { useView } from './view'

interface Panel {
  readonly towards: readonly [number, number, number]
  readonly cosine: number
  readonly radiance: readonly [number, number, number]
}

interface Lamp {
  readonly towards: readonly [number, number, number]
  readonly irradiance: readonly [number, number, number]
}

const MOST_PANELS = Math.max(...Object.values(LIGHT_TABLE).map((light) => light.panels.length))
/** As many lamps in every set-up, dark where it has fewer: with another number of lamps every shader would be built again. */
const MOST_LAMPS = Math.max(...Object.values(LIGHT_TABLE).map((light) => light.lamps.length))
const LIGHT_NAMES = Object.keys(LIGHT_TABLE) as LightName[]
/** Milliseconds between two set-ups that are filtered ahead, and before the first: the stage's own pictures come first. */
const PAUSE = 1500
const NO_LAMP: Lamp = { towards: [0, 1, 0], irradiance: [0, 0, 0] }

/** Light set-ups, each made to show other faults: the core's own, by the same formula. Nothing is loaded. */
export function Lights({ name, size }: { name: LightName; size: number }) {
  const { brightness, lightTurn, shadows } = useView()
  const panorama = usePanorama((state) => shownPanorama(state)?.texture)
  const get = useThree((state) => state.get)
  useLayoutEffect(() => {
    const { gl, scene, invalidate } = get()
    const own = panorama && filterOf(gl).generator.fromEquirectangular(panorama)
    scene.environment = own?.texture ?? reflections(gl, name)
    invalidate()
    return () => own?.dispose()
  }, [get, name, panorama])
  useShadows(shadows)
  const lamps: readonly Lamp[] = panorama ? [] : LIGHT_TABLE[name].lamps
  return (
    <group rotation={[0, (lightTurn * Math.PI) / 180, 0]}>
      {Array.from({ length: MOST_LAMPS }, (_, index) => {
        const lamp = lamps[index] ?? NO_LAMP
        return (
          <directionalLight
            key={index}
            position={away(lamp.towards, 3 * size)}
            intensity={brightness}
            color={[...lamp.irradiance]}
            castShadow={shadows && lamp !== NO_LAMP}
            shadow-mapSize={[2048, 2048]}
            shadow-normalBias={0.004 * size}
          >
            <orthographicCamera
              attach="shadow-camera"
              args={[-size, size, size, -size, 0.01 * size, 6 * size]}
            />
          </directionalLight>
        )
      })}
    </group>
  )
}

/** A place so far away in a direction: what throws shadows has one, although the light comes from everywhere there. */
function away(towards: readonly [number, number, number], far: number): [number, number, number] {
  const [x, y, z] = towards
  const scale = far / Math.hypot(x, y, z)
  return [x * scale, y * scale, z * scale]
}

/** Everything on the stage throws shadows, and takes them, while they are asked for. */
function useShadows(on: boolean) {
  const get = useThree((state) => state.get)
  useLayoutEffect(() => {
    const { scene, invalidate } = get()
    scene.traverse((thing) => {
      if (thing instanceof Mesh) (thing.material as Material).needsUpdate = true
    })
    invalidate()
  }, [get, on])
  useFrame(({ scene }) => {
    if (!on) return
    scene.traverse((thing) => {
      if (thing instanceof Mesh) thing.castShadow = thing.receiveShadow = true
    })
  })
}

/** Filters the other set-ups while nobody does anything, so that to choose one is only to draw it. */
export function LightsAhead() {
  const get = useThree((state) => state.get)
  useEffect(() => {
    const { gl } = get()
    let callOff: () => void = () => undefined
    const next = () => {
      const name = LIGHT_NAMES.find((light) => !filterOf(gl).done.has(light))
      if (!name) return
      callOff = whenIdle(() => {
        reflections(gl, name)
        later()
      })
    }
    const later = () => {
      const handle = setTimeout(next, PAUSE)
      callOff = () => clearTimeout(handle)
    }
    later()
    return () => callOff()
  }, [get])
  return null
}

/** Does something once the browser has nothing else to do; gives what calls that off. */
function whenIdle(work: () => void): () => void {
  if (!('requestIdleCallback' in window)) {
    const handle = setTimeout(work, 200)
    return () => clearTimeout(handle)
  }
  const handle = requestIdleCallback(work)
  return () => cancelIdleCallback(handle)
}

interface Filter {
  generator: PMREMGenerator
  done: Map<LightName, Texture>
}

const filters = new WeakMap<WebGLRenderer, Filter>()

/** What a canvas filters with, whose shaders are built once, and the set-ups that it has. */
function filterOf(gl: WebGLRenderer): Filter {
  const filter = filters.get(gl) ?? { generator: generatorFor(gl), done: new Map() }
  filters.set(gl, filter)
  return filter
}

/** A set-up's surroundings, filtered into what surfaces of every roughness reflect: fetched, or made once a canvas. */
function reflections(gl: WebGLRenderer, name: LightName): Texture {
  const { generator, done } = filterOf(gl)
  const texture = done.get(name) ?? fetchedLight(name) ?? filtered(generator, name)
  done.set(name, texture)
  gl.domElement.dataset.lights = String(done.size)
  return texture
}

function filtered(generator: PMREMGenerator, name: LightName): Texture {
  const sky = new Mesh(new SphereGeometry(40, 32, 16), surroundings(name))
  const { texture } = generator.fromScene(new Scene().add(sky))
  sky.geometry.dispose()
  return texture
}

function generatorFor(gl: WebGLRenderer): PMREMGenerator {
  const generator = new PMREMGenerator(gl)
  // The library has no way to ask for fewer texels than 256 a side, each the mean of 256 samples: seconds in software. As many as
  // fetched lights have, so that no shader is another one.
  if (drawing() === 'software' && '_setSize' in generator)
    Object.assign(generator, {
      _setSize(this: { _cubeSize: number }) {
        this._cubeSize = FILTERED_LIGHTS.size
      },
    })
  return generator
}

const VERTEX = `
  varying vec3 direction;
  void main() {
    direction = (modelMatrix * vec4(position, 0.0)).xyz;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  }`

/** As `Light.surroundings` in the core's rendering/lights.py. */
const FRAGMENT = `
  varying vec3 direction;
  uniform vec3 sky;
  uniform vec3 towards[${MOST_PANELS}];
  uniform float cosine[${MOST_PANELS}];
  uniform vec3 radiance[${MOST_PANELS}];
  void main() {
    vec3 from = normalize(direction);
    vec3 found = sky;
    for (int i = 0; i < ${MOST_PANELS}; i++) {
      float rise = ${PANEL_EDGE.toFixed(4)} * (1.0 - cosine[i]) + 1e-6;
      found += clamp((dot(from, towards[i]) - cosine[i]) / rise, 0.0, 1.0) * radiance[i];
    }
    gl_FragColor = vec4(found, 1.0);
  }`

function surroundings(name: LightName) {
  const { sky, panels } = LIGHT_TABLE[name]
  const nothing: Panel = { towards: [0, 1, 0], cosine: 0, radiance: [0, 0, 0] }
  const all = Array.from(
    { length: MOST_PANELS },
    (_, index) => (panels as readonly Panel[])[index] ?? nothing,
  )
  return new ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    side: BackSide,
    toneMapped: false,
    uniforms: {
      sky: { value: new Vector3(...sky) },
      towards: { value: all.map((panel) => new Vector3(...panel.towards).normalize()) },
      cosine: { value: all.map((panel) => panel.cosine) },
      radiance: { value: all.map((panel) => new Vector3(...panel.radiance)) },
    },
  })
}
