import { Picture } from '../components/Picture'
import { Button } from '@mui/material'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'

import { useProject, useProjectId } from '../api/queries'
import type { Cell, Material, Package, TrialResult, Verdict } from '../api/types'
import { useStatus } from '../api/notices'
import { useRemembered } from '../components/remembered'
import {
  INPUT_WORDS,
  TRIAL_EXTRAS,
  TRIAL_INPUTS,
  VERDICTS,
  causeWords,
  count,
  errorWords,
  inWords,
  readable,
} from '../words'
import { LargePictures, MadeAndArrived, OverWords } from './MadeAndArrived'
import { AddNote } from '../team/NoteMark'
import type { Of } from './MadeAndArrived'
import { labels } from '../words/export'

const HEADS: Record<string, string> = {
  base_color: labels.base,
  metallic: labels.metal,
  roughness: labels.rough,
  normal: labels.normal,
  occlusion: labels.occl,
  emission: labels.emiss,
  opacity: labels.opac,
  settings: labels.settings,
  mesh: labels.mesh,
  scene: labels.scene,
  clearcoat: labels.coat,
  clearcoat_roughness: labels.coatR,
  sheen_roughness: labels.shnR,
  transmission: labels.transm,
  thickness: labels.thickn,
  attenuation: labels.inside,
  attenuation_distance: labels.reach,
  ior: 'IOR',
}

/** What is compared besides inputs. */
const BESIDE = ['settings', 'mesh', 'scene']
const BESIDE_WORDS: Record<string, string> = {
  settings: labels.settings,
  mesh: labels.theMesh,
  scene: labels.theSceneOfTheFile,
}

/** Whether a cell is as it was meant but for what a codec loses. */
const isCompressed = (cell: Cell) => cell.verdict === 'close' && cell.cause === 'compressed'

const short = (cell: Cell): string => {
  const { glyph } = VERDICTS[cell.verdict]
  if (cell.cause && (cell.verdict === 'differs' || cell.verdict === 'lost'))
    return `${glyph} ${causeWords(cell.cause)}`
  if (cell.verdict === 'close' && (isCompressed(cell) || cell.unit === 'degrees')) {
    const most = cell.max_error ?? 0
    return `${glyph} ${most.toFixed(most < 10 ? 1 : 0)}${cell.unit === 'degrees' ? '°' : ''}`
  }
  if (cell.verdict === 'close') return `${glyph} ½`
  return cell.verdict === 'same' ? `${glyph} 0` : glyph
}

interface BoardProps {
  pack: Package | undefined
  /** Whether the project has changed since. */
  behind: boolean
  /** Whether a newer package is being made or tried. */
  busy: boolean
}

/** What the stand-in engine got: slots against inputs, one verdict each; a cell opens its evidence. */
export function TrialBoard({ pack, behind, busy }: BoardProps) {
  const trial = pack?.trial
  const [chosen, setChosen] = useState<string | null>(null)
  const materials = useProject().data?.document.materials ?? {}
  const show = useStatus((state) => state.show)
  useEffect(() => {
    show(labels.identicalWithinRoundingOrCompressionLost)
    return () => show('')
  }, [show])
  if (!trial) {
    return (
      <section className="pane" aria-label={labels.trial}>
        <div className="empty">
          <h2>{labels.noTrialYet}</h2>
          <p>{labels.exportAndTestWritesThePackage}</p>
        </div>
      </section>
    )
  }
  const keyOf = (cell: Cell) => `${cell.mesh}|${cell.slot}|${cell.input}`
  const slots = [
    ...new Map(
      trial.cells
        .filter((cell) => cell.input !== 'scene')
        .map((cell) => [`${cell.mesh}|${cell.slot}`, cell]),
    ).values(),
  ]
  const meshes = new Set(trial.cells.map((cell) => cell.mesh))
  const inputs = [
    ...TRIAL_INPUTS,
    ...['mesh', 'scene'].filter((input) => trial.cells.some((cell) => cell.input === input)),
    ...TRIAL_EXTRAS.filter((input) => trial.cells.some((cell) => cell.input === input)),
  ]
  // The scene is the whole file's: it stands in the first row of its mesh.
  const first = new Map(slots.map((row) => [row.mesh, row.slot]).reverse() as [string, string][])
  const cellAt = (row: Cell, input: string) => {
    const slot = input === 'scene' ? '' : row.slot
    return input === 'scene' && first.get(row.mesh) !== row.slot
      ? undefined
      : trial.cells.find(
          (cell) => cell.mesh === row.mesh && cell.slot === slot && cell.input === input,
        )
  }
  const worst = trial.cells.find((cell) => cell.verdict === 'differs' || cell.verdict === 'lost')
  const current =
    trial.cells.find((cell) => keyOf(cell) === chosen) ??
    worst ??
    trial.cells.find((cell) => cell.max_error)
  const counted = (verdicts: Verdict[]) =>
    trial.cells.filter((cell) => verdicts.includes(cell.verdict) && !isIdle(cell, materials)).length
  const differ = counted(['differs'])
  const lost = counted(['lost'])
  const unsupported = trial.cells.filter((cell) => cell.verdict === 'unsupported' && cell.cause)
  const bare = new Set(
    trial.cells
      .filter((cell) => cell.verdict === 'unsupported' && !cell.cause)
      .map((cell) => `${cell.mesh}|${cell.slot}`),
  )
  const compressed = trial.cells.filter(
    (cell) => isCompressed(cell) && !isIdle(cell, materials),
  ).length
  return (
    <section className="pane" aria-label={labels.trial}>
      <div className="bar wrapping" style={{ gap: '4px 8px' }}>
        <h1>{labels.trial}</h1>
        {differ > 0 && <span className="chip brick">{labels.different(differ)}</span>}
        {lost > 0 && <span className="chip amber">{labels.lost(lost)}</span>}
        <span className={`chip ${trial.passed ? 'own' : ''}`}>
          {trial.passed && '✓ '}
          {counted(['same', 'close']) - compressed} {labels.identical}
        </span>
        {compressed > 0 && <span className="chip">{labels.compressed(compressed)}</span>}
        {unsupported.length > 0 && (
          <span
            className="chip amber"
            title={unsupported.map((c) => [c.mesh, c.slot, c.input].join(' · ')).join('\n')}
          >
            {labels.notSupportedByTarget(unsupported.length)}
          </span>
        )}
        {bare.size > 0 && (
          <span className="chip amber">{labels.withoutAMaterial(count(bare.size, 'slot'))}</span>
        )}
        {counted(['by-hand']) > 0 && (
          <span className="chip">{labels.manually(counted(['by-hand']))}</span>
        )}
        <span className="grow" />
        <Button
          component="a"
          target="_blank"
          rel="noreferrer"
          href={`/api/packages/${pack!.id}/report.html`}
        >
          {labels.report}
        </Button>
        <Button component="a" href={`/api/packages/${pack!.id}/report.pdf`}>
          {labels.pdf}
        </Button>
        <span className="small ellipsis" title={pack!.brought_in || undefined}>
          {pack!.brought_in ? labels.imported(pack!.brought_in) : labels.standInEngine}
          {(behind || busy) && <span className="amber"> {labels.ofAnEarlierState}</span>}
        </span>
      </div>
      {busy && (
        <p className="old-trial" role="status">
          {labels.aNewTrialIsBeingMade}
        </p>
      )}
      <div className={`scroll ${busy ? 'old' : ''}`} tabIndex={-1}>
        <table className="trial-board">
          <thead>
            <tr>
              <th>{labels.slot}</th>
              {inputs.map((input) => (
                <th
                  key={input}
                  title={BESIDE_WORDS[input] ?? INPUT_WORDS[input as keyof typeof INPUT_WORDS].name}
                >
                  {HEADS[input] ?? INPUT_WORDS[input as keyof typeof INPUT_WORDS].name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {slots.map((row) => (
              <tr key={`${row.mesh}${row.slot}`}>
                <td
                  className="ellipsis"
                  title={`${row.mesh} · ${row.slot}: ${row.material ?? labels.noMaterial}`}
                >
                  {row.slot}
                  {meshes.size > 1 && (
                    <div className="small ellipsis" style={{ fontSize: 10.5 }}>
                      {row.mesh}
                    </div>
                  )}
                </td>
                {inputs.map((input) => {
                  const cell = cellAt(row, input)
                  return (
                    <td key={input}>
                      {cell && (
                        <Verdict
                          cell={cell}
                          pressed={cell === current}
                          choose={() => setChosen(keyOf(cell))}
                        />
                      )}
                    </td>
                  )
                })}
              </tr>
            ))}
          </tbody>
        </table>
        {pack && <ByHand pack={pack} lines={trial.by_hand ?? []} />}
        {pack && <Renders pack={pack} trial={trial} />}
      </div>
      {current && pack && <Detail cell={current} pack={pack} trial={trial} />}
    </section>
  )
}

/** What a person sets in the engine, to be ticked off; the ticks stay in this browser. */
function ByHand({ pack, lines }: { pack: Package; lines: TrialResult['by_hand'] }) {
  const [kept, keep] = useRemembered<string>(`by hand ${pack.id} ${pack.made}`, '[]')
  if (!lines?.length) return null
  const done = JSON.parse(kept) as string[]
  const tick = (line: string, on: boolean) =>
    keep(JSON.stringify(on ? [...done, line] : done.filter((other) => other !== line)))
  return (
    <section aria-label={labels.setManually} style={{ padding: '12px 14px 0' }}>
      <h2>{labels.setManually}</h2>
      <p className="small">{labels.setTheseInTheEngineOne}</p>
      {[...new Set(lines.map((line) => line.material))].map((material) => {
        const own = lines.filter((line) => line.material === material)
        const slots = [...new Set(own.map((line) => line.slot).filter(Boolean))]
        return (
          <div key={material} className="small" style={{ padding: '2px 0' }}>
            <label className="row" style={{ gap: 6 }}>
              <input
                type="checkbox"
                checked={done.includes(material)}
                onChange={(event) => tick(material, event.target.checked)}
              />
              <b>{material}</b>
              {slots.length > 0 && <span className="quiet">{slots.join(', ')}</span>}
            </label>
            <ul style={{ margin: 0, paddingLeft: 42 }}>
              {[...new Set(own.map((line) => line.text))].map((text) => (
                <li key={text}>{text}</li>
              ))}
            </ul>
          </div>
        )
      })}
    </section>
  )
}

/** Every mesh and every material as it was meant and as it arrived, under the same light. */
function Renders({ pack, trial }: { pack: Package; trial: TrialResult }) {
  if (!trial.renders?.length) return null
  return (
    <section aria-label={labels.renders} style={{ padding: '12px 14px' }}>
      <h2>{labels.underTheSameLight}</h2>
      <p className="small">{labels.flipIsTheMeanDifferenceAn}</p>
      <div className="renders">
        {trial.renders.map((entry) => {
          const name = entry.material ?? entry.mesh
          const number = trial.pictures.findIndex(
            (picture) => picture.material === name && picture.input === `render ${entry.view}`,
          )
          return (
            <figure key={`${name} ${entry.view}`}>
              <div className="row" style={{ gap: 2 }}>
                {(['meant', 'arrived'] as const).map((what) => (
                  <Picture
                    key={what}
                    className="thumb"
                    src={`/api/packages/${pack.id}/pictures/${number}-${what}.png?of=${pack.made}`}
                    width={112}
                    height={112}
                    alt={
                      entry.material
                        ? labels.onTheSpecimen(name, what)
                        : labels.fromThe(name, entry.view, what)
                    }
                    loading="lazy"
                  />
                ))}
              </div>
              <figcaption className="small">
                {name}, {entry.material ? labels.onTheSpecimenWord : entry.view} ·{' '}
                <span className={`mono ${entry.flip > 0.05 ? 'brick' : ''}`}>
                  {labels.flipSsim(entry.flip.toFixed(3), entry.ssim.toFixed(3))}
                </span>
              </figcaption>
            </figure>
          )
        })}
      </div>
    </section>
  )
}

/** Whether an input arrived at its default because no material in the chain says anything of it. */
function isIdle(cell: Cell, materials: Record<string, Material>) {
  const used = (name: string | null): boolean => {
    const entry = name ? materials[name] : undefined
    if (!entry) return false
    const inputs = entry.inputs ?? {}
    // F0 arrives as metallic, or as the specular colour that stands in its place.
    if (cell.input === 'metallic' && 'f0' in inputs) return true
    return cell.input in inputs || used(entry.from ?? null)
  }
  return cell.verdict === 'same' && !BESIDE.includes(cell.input) && !used(cell.material)
}

function Verdict({ cell, pressed, choose }: { cell: Cell; pressed: boolean; choose: () => void }) {
  const materials = useProject().data?.document.materials ?? {}
  const verdict = VERDICTS[cell.verdict]
  const idle = isIdle(cell, materials)
  const words = `${cell.slot || cell.mesh} ${inWords(cell.input)}: ${idle ? labels.notUsed : verdict.word}${cell.cause && cell.verdict !== 'same' ? `, ${causeWords(cell.cause)}` : ''}${cell.max_error ? `, ${errorWords(cell)}` : ''}`
  return (
    <button
      className={`verdict mono ${idle ? 'quiet' : verdict.tone}`}
      aria-pressed={pressed}
      title={words}
      onClick={choose}
    >
      <span className="sr">{words} </span>
      {idle ? '·' : short(cell)}
    </button>
  )
}

/** Every setting on both sides; those that differ stand out. */
function SettingPairs({ pairs }: { pairs: NonNullable<Cell['settings']> }) {
  return (
    <table className="grid setting-pairs">
      <thead>
        <tr>
          <th>{labels.setting}</th>
          <th>{labels.meantTitle}</th>
          <th>{labels.arrivedTitle}</th>
        </tr>
      </thead>
      <tbody>
        {pairs.map((pair) => {
          const hand = pair.arrived === 'set manually'
          const same = pair.meant === pair.arrived
          return (
            <tr key={pair.name} className={same || hand ? '' : 'brick'}>
              <td>{pair.name}</td>
              <td>{pair.meant}</td>
              <td>
                {same ? '= ' : hand ? '✎ ' : '≠ '}
                {pair.arrived}
              </td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

const SCALE_UNITS: Record<string, string> = { '8-bit steps': labels.stepsOf8Bits }

/** What black and white stand for in the picture of a difference. */
const differenceScale = (cell: Cell) =>
  cell.white_at == null
    ? ''
    : labels.blackIsNoDifferenceWhiteOr(
        readable(cell.white_at),
        SCALE_UNITS[cell.unit!] ?? cell.unit,
      )

function Detail({ cell, pack, trial }: { cell: Cell; pack: Package; trial: TrialResult }) {
  const id = useProjectId()
  const shape = cell.input === 'mesh' || cell.input === 'scene'
  const picture = trial.pictures.findIndex((entry) =>
    shape
      ? entry.material === cell.mesh && entry.input === 'render front'
      : entry.material === cell.material && entry.input === cell.input,
  )
  const [large, setLarge] = useState(false)
  const of: Of = (what) =>
    `/api/packages/${pack.id}/pictures/${picture}-${what}.png?of=${pack.made}`
  const verdict = VERDICTS[cell.verdict]
  const input = BESIDE_WORDS[cell.input] ?? INPUT_WORDS[cell.input as keyof typeof INPUT_WORDS].name
  return (
    <div className="detail" aria-live="polite">
      {picture >= 0 ? (
        <>
          <MadeAndArrived key={picture} of={of} input={input} />
          <figure>
            <Picture
              src={of(shape ? 'over' : 'difference')}
              alt={`${input}, ${shape ? labels.bothOverEachOther : 'difference'}`}
            />
            <figcaption className="small row">
              <span className="grow">
                {shape ? <OverWords /> : 'difference'}
                {!shape && cell.white_at != null && ` · ${differenceScale(cell)}`}
              </span>
              <button className="link" onClick={() => setLarge(true)}>
                {labels.large}
              </button>
            </figcaption>
          </figure>
          {large && (
            <LargePictures
              of={of}
              scale={differenceScale(cell)}
              title={[cell.mesh, cell.slot, input].filter(Boolean).join(' · ')}
              input={input}
              shape={shape}
              close={() => setLarge(false)}
            />
          )}
        </>
      ) : cell.settings?.length ? (
        <SettingPairs pairs={cell.settings} />
      ) : (
        <p className="quiet" style={{ gridColumn: 'span 2' }}>
          {labels.noPicture(
            cell.input === 'settings'
              ? labels.thisTrialKeptNoValues
              : shape
                ? labels.thisTrialRenderedNone
                : labels.aConstantOnBothSides,
          )}
        </p>
      )}
      <div style={{ display: 'grid', gap: 8, alignContent: 'start' }}>
        <h2 style={{ fontSize: 15 }}>
          {input}
          {cell.verdict === 'same'
            ? labels.arrivedAsMeant(cell.input === 'settings' ? labels.theyWere : labels.itWas)
            : cell.verdict === 'close'
              ? labels.arrivedOf(isCompressed(cell) ? 'compressed' : labels.withinRounding)
              : `: ${cell.cause ? causeWords(cell.cause) : verdict.word}`}
        </h2>
        <p className="small">
          {[cell.mesh, cell.slot, shape ? '' : (cell.material ?? labels.noMaterial)]
            .filter(Boolean)
            .join(' · ')}
        </p>
        {cell.message && <p>{cell.message}</p>}
        {cell.advice && (
          <p>
            <b>{labels.whatToDo}</b> {cell.advice}
          </p>
        )}
        {cell.max_error != null && <p className="mono">{errorWords(cell)}</p>}
        <p>
          <AddNote
            marked
            at={{ kind: 'cell', place: [pack.target, cell.mesh, cell.slot, cell.input] }}
          />
        </p>
        {cell.material && (
          <Button
            component={Link}
            to={`/projects/${id}/materials/${encodeURIComponent(cell.material)}`}
            sx={{ justifySelf: 'start' }}
          >
            {labels.showInFeedSheet}
          </Button>
        )}
      </div>
    </div>
  )
}
