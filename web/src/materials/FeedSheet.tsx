import { MiddleTruncate } from '../components/MiddleTruncate'
import { Picture } from '../components/Picture'
import { Button, Divider, Menu, MenuItem } from '@mui/material'
import { useEffect, useState } from 'react'

import { useEdit } from '../api/changes'
import { useBoard, useProject } from '../api/queries'
import { calledSoon, useQueue, waitingOf } from '../api/queue'
import { feedOf, settingOf } from '../api/optimistic'
import type { Feed, InputName, Row, Sheet } from '../api/types'
import { useStatus } from '../api/notices'
import { AskName } from '../components/AskName'
import { useImport } from '../components/useImport'
import { Histogram } from '../components/Histogram'
import { ALPHA_WORDS, EXTRA_INPUTS, INPUT_WORDS, ROLE_WORDS, inputName, naturally } from '../words'
import { Adjust } from './Adjust'
import { ChooseOne } from './ChooseOne'
import { useClipboard } from './clipboard'
import { MaterialLayers } from './MaterialLayers'
import { toHex } from './colour'
import { PLAIN, WIDE, changes, lies, firstValue, placed } from './feed'
import { Settings } from './Settings'
import { SourcePicker } from './SourcePicker'
import { RemoveMaterial } from './RemoveMaterial'
import { AddNote, NoteMark } from '../team/NoteMark'
import { useNoting } from '../team/notes'
import type { useDraft } from './useDraft'
import { labels } from '../words/materials'

type Draft = ReturnType<typeof useDraft>

/** One row an input, read from left to right: input, where it comes from, what changes it, what it gives, where it leaves. */
export function FeedSheet({
  name,
  draft,
  solo,
  setSolo,
  openRow,
  setOpenRow,
  go,
  compareWithout,
}: {
  name: string
  draft: Draft
  solo: InputName | null
  setSolo: (input: InputName | null) => void
  openRow: InputName | null
  setOpenRow: (input: InputName | null) => void
  go: (name: string) => void
  compareWithout: (input: InputName) => void
}) {
  const { sheet, document, error, tryFeed, commit, tryCovers, commitCovers, drop } = draft
  const [picking, setPicking] = useState<InputName | null>(null)
  const feedFrom = useFeedFromFile(commit)
  if (!sheet)
    return (
      <section className="pane" aria-label={labels.feedSheet}>
        <div className="empty">
          <p>{error ? error.message : labels.reading}</p>
        </div>
      </section>
    )
  const picked = sheet.rows.find((row) => row.input === picking)
  const stuck = sheet.rows.find((row) => row.leaves.problem)?.leaves.problem
  return (
    <section className="pane" aria-label={labels.feedSheet}>
      <SheetHead name={name} draft={draft} go={go} />
      {stuck && (
        <p className="amber stuck" role="status">
          {labels.nothingCanBeExportedNow(stuck)}
        </p>
      )}
      <div className="scroll" tabIndex={-1}>
        <div className="sheet-head">
          <span>{labels.input}</span>
          <span>{labels.source}</span>
          <span>{labels.adjustments}</span>
          <span>{labels.result}</span>
          <span>{labels.exportedAs}</span>
        </div>
        {sheet.rows.map((row) => (
          <RowView
            key={row.input}
            material={name}
            row={row}
            workflow={sheet.workflow}
            derived={sheet.chain.length > 1}
            open={openRow === row.input}
            solo={solo === row.input}
            toggle={() => setOpenRow(openRow === row.input ? null : row.input)}
            pick={() => setPicking(row.input)}
            dropFile={(file) => feedFrom(row.input, file)}
            drop={({ map, channels }) => {
              const wide = WIDE.includes(row.input)
              if (wide === (channels ?? 'rgb').length > 1)
                commit(row.input, { ...PLAIN, value: null, map, channels })
              else setPicking(row.input)
            }}
          >
            <div className="note-line">
              <AddNote at={{ kind: 'input', place: [name, row.input] }} />
            </div>
            {row.feed && (
              <Adjust
                key={JSON.stringify(row.feed.map)}
                material={name}
                row={row}
                feed={(document && feedOf(document, name, row.input)) ?? row.feed}
                drop={drop}
                compare={() => compareWithout(row.input)}
                derived={sheet.chain.length > 1}
                tryFeed={(feed) => tryFeed(row.input, feed)}
                commit={(feed) => commit(row.input, feed)}
                solo={solo === row.input}
                toggleSolo={() => setSolo(solo === row.input ? null : row.input)}
              />
            )}
          </RowView>
        ))}
        <UnusedOfSet sheet={sheet} commit={commit} />
        <MaterialLayers
          name={name}
          covers={(document && settingOf(document, name, 'covers')) ?? sheet.covers}
          problem={sheet.covers_problem ?? null}
          attempt={tryCovers}
          settle={commitCovers}
          go={go}
        />
        <MoreInputs
          sheet={sheet.rows.map((row) => row.input)}
          add={(input) => {
            commit(input, { ...PLAIN, value: firstValue(input) })
            setOpenRow(input)
          }}
        />
      </div>
      {picked && (
        <SourcePicker
          row={picked}
          close={() => setPicking(null)}
          choose={(feed) => commit(picked.input, feed)}
        />
      )}
    </section>
  )
}

/** What the material's map set holds besides: fed in one click, or at least said. */
function UnusedOfSet({ sheet, commit }: { sheet: Sheet; commit: Draft['commit'] }) {
  if (sheet.unused.length === 0) return null
  return (
    <section className="unused-of-set small" aria-label={labels.unusedOfItsSet}>
      {labels.unusedOfItsSet2}
      {sheet.unused.map(({ map, channels, role, input, feed }) => (
        <span key={`${map} ${channels}`} className="row">
          <MiddleTruncate name={map} />
          <Letters channels={channels} />
          {ROLE_WORDS[role].toLowerCase()}
          {input && feed ? (
            <button className="link" onClick={() => commit(input, { ...PLAIN, ...feed })}>
              {labels.feed(INPUT_WORDS[input].name.toLowerCase())}
            </button>
          ) : (
            <span className="quiet">
              {role === 'subsurface' ? labels.noInput : labels.fedOtherwise}
            </span>
          )}
        </span>
      ))}
    </section>
  )
}

/** Bring one file in, and feed an input from it as soon as it is a map of the project. */
function useFeedFromFile(commit: (input: InputName, feed: Feed) => void) {
  const maps = useProject().data?.document.maps
  const bringIn = useImport()
  const [waiting, setWaiting] = useState<{ input: InputName; file: string } | null>(null)
  const arrived =
    waiting &&
    Object.entries(maps ?? {}).find(([, entry]) => entry.file === `maps/${waiting.file}`)?.[0]
  useEffect(() => {
    if (!waiting || !arrived) return
    commit(waiting.input, {
      ...PLAIN,
      value: null,
      map: arrived,
      channels: WIDE.includes(waiting.input) ? 'rgb' : 'r',
    })
    // eslint-disable-next-line react-hooks/set-state-in-effect -- the wait is over once the map has arrived
    setWaiting(null)
  }, [arrived, commit, waiting])
  return (input: InputName, file: File) => {
    setWaiting({ input, file: file.name })
    bringIn([file])
  }
}

/** Inputs beyond the seven, which extensions of glTF carry: a row appears once something feeds it. */
function MoreInputs({ sheet, add }: { sheet: InputName[]; add: (input: InputName) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  // F0 belongs to the specular workflow, which is chosen in the settings.
  const left = EXTRA_INPUTS.filter((input) => !sheet.includes(input) && input !== 'f0')
  if (left.length === 0) return null
  return (
    <div style={{ padding: '8px 14px' }}>
      <button
        className="link"
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {labels.addInput}
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {left.map((input) => (
          <MenuItem
            key={input}
            onClick={() => {
              setAnchor(null)
              add(input)
            }}
          >
            {INPUT_WORDS[input].name}
          </MenuItem>
        ))}
      </Menu>
    </div>
  )
}

function SheetHead({
  name,
  draft,
  go,
}: {
  name: string
  draft: Draft
  go: (name: string) => void
}) {
  const sheet = draft.sheet!
  const project = useProject().data!
  const edit = useEdit()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [asking, setAsking] = useState<
    'rename' | 'derive' | 'base' | 'pattern' | 'twin' | 'delete' | null
  >(null)
  const [settings, setSettings] = useState<HTMLElement | null>(null)
  const { sheet: copied, copySheet } = useClipboard()
  const note = useNoting((state) => state.open)
  const sets = [...new Set((useBoard().data ?? []).map((map) => map.set))]
  const materials = project.document.materials ?? {}
  const called = calledSoon(name, useQueue(waitingOf(project.id)))
  const { stage } = sheet
  const tiling = stage.uv.tiling ?? [1, 1]
  const mark = (...settings: string[]) =>
    sheet.chain.length > 1 && settings.some((setting) => sheet.own_settings.includes(setting))
      ? 'chip own'
      : 'chip'
  const edged = stage.wrap.join() === 'repeat,repeat' ? null : stage.wrap
  const pasteSheet = async () => {
    setAnchor(null)
    const inputs = Object.entries(copied?.entry.inputs ?? {}) as [InputName, Feed][]
    await edit(
      ...inputs.map(
        ([input, feed]) => ({ kind: 'set-feed', material: name, input, feed }) as const,
      ),
    )
  }
  const act = async (change: Parameters<typeof edit>[0]) => {
    setAnchor(null)
    const before = new Set(Object.keys(project.document.materials ?? {}))
    const after = await edit(change)
    const fresh = Object.keys(after?.document.materials ?? {}).find(
      (material) => !before.has(material),
    )
    if (fresh) go(fresh)
  }
  return (
    <div
      className="bar"
      data-menu
      style={{ gap: 8, height: 'auto', minHeight: 42, paddingBlock: 4, flexWrap: 'wrap' }}
    >
      <h1 style={{ fontSize: 17 }} className="ellipsis" title={called}>
        {called}
      </h1>
      {sheet.chain.length > 1 && (
        <span className="small">
          {labels.from}{' '}
          {sheet.chain.slice(1).map((base) => (
            <button key={base} className="link" onClick={() => go(base)}>
              {base}
            </button>
          ))}
        </span>
      )}
      <button
        className="plain settings"
        aria-haspopup="dialog"
        onClick={(event) => setSettings(event.currentTarget)}
      >
        <span className="sr">{labels.settingsOfTheMaterial} </span>
        <span className={mark('surface_tag')}>{sheet.surface_tag ?? labels.noTag}</span>
        <span className={mark('uv')}>
          {tiling[0] === 1 && tiling[1] === 1
            ? labels.tilesOnce
            : labels.tiles(tiling[0], tiling[1])}
        </span>
        {placed(stage.uv).map((words) => (
          <span key={words} className="chip">
            {words}
          </span>
        ))}
        {lies({ uv: stage.uv.set ? stage.uv : null, wrap: edged }).map((words) => (
          <span key={words} className="chip">
            {words}
          </span>
        ))}
        {stage.shading === 'unlit' && <span className={mark('shading')}>{labels.unlit}</span>}
        {sheet.workflow === 'specular' && (
          <span className={mark('workflow')}>{labels.specularWorkflow}</span>
        )}
        <span className={mark('double_sided')}>
          {stage.double_sided ? 'double-sided' : 'single-sided'}
        </span>
        <span className={mark('alpha_mode', 'alpha_cutoff')}>
          {ALPHA_WORDS[stage.alpha_mode]}
          {stage.alpha_mode === 'mask' && labels.at(stage.alpha_cutoff.toFixed(2))}
        </span>
        <span aria-hidden>▾</span>
      </button>
      <NoteMark at={{ kind: 'material', place: [name] }} />
      <span className="grow" />
      <span className="small ellipsis" title={sheet.slots.join(', ')}>
        {sheet.slots.length
          ? labels.on(sheet.slots.map((slot) => slot.split(' · ')[1]).join(', '))
          : labels.onNoSlot}
      </span>
      <Button
        variant="text"
        aria-label={labels.moreForThisMaterial}
        aria-haspopup="menu"
        sx={{ minWidth: 28 }}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        ⋯
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setAsking('rename')
          }}
        >
          {labels.rename2}
        </MenuItem>
        <MenuItem onClick={() => void act({ kind: 'duplicate-material', material: name })}>
          {labels.duplicate}
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setAsking('derive')
          }}
        >
          {labels.deriveAMaterial}
        </MenuItem>
        {sheet.chain.length > 1 && (
          <MenuItem onClick={() => void act({ kind: 'detach', material: name })}>
            {labels.detachFrom} {sheet.chain[1]}
          </MenuItem>
        )}
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setAsking('base')
          }}
        >
          {sheet.chain.length > 1 ? labels.giveItAnotherBase : labels.giveItABase}
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setAsking('pattern')
          }}
        >
          {labels.useAsAPatternForA}
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setAsking('twin')
          }}
        >
          {labels.deriveATwinFromASet}
        </MenuItem>
        <Divider />
        <MenuItem
          onClick={() => {
            setAnchor(null)
            copySheet(name, materials[name]!)
          }}
        >
          {labels.copyTheSheet}
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            note({ kind: 'material', place: [name] })
          }}
        >
          {labels.addNote}
        </MenuItem>
        {copied && copied.name !== name && (
          <MenuItem onClick={() => void pasteSheet()}>
            {labels.pasteTheSheetOf(copied.name)}
          </MenuItem>
        )}
        <Divider />
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setAsking('delete')
          }}
        >
          {labels.delete}
        </MenuItem>
      </Menu>
      {settings && (
        <Settings name={name} sheet={sheet} anchor={settings} close={() => setSettings(null)} />
      )}
      {asking === 'rename' && (
        <AskName
          title={labels.renameTheMaterial}
          label={labels.materialName}
          initial={called}
          close={() => setAsking(null)}
          done={(to) => void act({ kind: 'rename-material', material: name, name: to })}
        />
      )}
      {asking === 'base' && (
        <ChooseOne
          title={labels.giveItABase2}
          label={labels.base}
          close={() => setAsking(null)}
          options={[
            '',
            ...Object.keys(materials)
              .filter((other) => other !== name)
              .sort(naturally),
          ]}
          words={(base) => base || labels.noBase}
          done={(base) =>
            void act({ kind: 'set-setting', material: name, setting: 'from', value: base || null })
          }
        />
      )}
      {asking === 'pattern' && (
        <ChooseOne
          title={labels.useAsAPattern}
          label={labels.mapSet}
          close={() => setAsking(null)}
          options={sets}
          hint={labels.aNewMaterialWithTheSame}
          done={(set) => void act({ kind: 'apply-pattern', material: name, set, derived: false })}
        />
      )}
      {asking === 'twin' && (
        <ChooseOne
          title={labels.deriveATwin}
          label={labels.mapSet}
          close={() => setAsking(null)}
          options={sets}
          hint={labels.aVariantOfWithTheMaps(name, name)}
          done={(set) => void act({ kind: 'apply-pattern', material: name, set, derived: true })}
        />
      )}
      {asking === 'delete' && <RemoveMaterial sheet={sheet} close={() => setAsking(null)} />}
      {asking === 'derive' && (
        <AskName
          title={labels.deriveAMaterial2}
          label={labels.materialName}
          initial={labels.variant(name)}
          hint={labels.itHasOverridesOnlyTheRest}
          close={() => setAsking(null)}
          done={(to) => void act({ kind: 'add-material', name: to, base: name })}
        />
      )}
    </div>
  )
}

const FEED = 'application/x-ektopos-feed'

interface RowProps {
  material: string
  row: Row
  workflow: Sheet['workflow']
  derived: boolean
  open: boolean
  solo: boolean
  toggle: () => void
  pick: () => void
  drop: (source: { map: string; channels: Feed['channels'] }) => void
  dropFile: (file: File) => void
  children: React.ReactNode
}

function RowView({
  material,
  row,
  workflow,
  derived,
  open,
  solo,
  toggle,
  pick,
  drop,
  dropFile,
  children,
}: RowProps) {
  const { unit } = INPUT_WORDS[row.input]
  const name = inputName(row.input, workflow)
  const show = useStatus((state) => state.show)
  const { feed } = row
  const chips = feed ? [...changes(row.input, feed), ...lies(feed)] : []
  return (
    <>
      <div
        className={`sheet-row ${open ? 'open' : ''} ${derived && row.own ? 'own' : ''}`}
        onMouseEnter={() =>
          show(
            feed?.map
              ? `${feed.map} · ${(feed.channels ?? 'rgb').toUpperCase()}`
              : `${name}: ${unit}`,
          )
        }
        data-input={row.input}
      >
        <div>
          <b>{name}</b> <NoteMark at={{ kind: 'input', place: [material, row.input] }} />
          <div className="small" style={{ fontSize: 11 }}>
            {unit}
          </div>
        </div>
        <button
          className="source"
          onClick={pick}
          data-takes-files
          draggable={feed?.map != null}
          onDragStart={(event) =>
            event.dataTransfer.setData(
              FEED,
              JSON.stringify({ map: feed?.map, channels: feed?.channels }),
            )
          }
          onDragOver={(event) => {
            if (
              event.dataTransfer.types.includes(FEED) ||
              event.dataTransfer.types.includes('Files')
            )
              event.preventDefault()
          }}
          onDrop={(event) => {
            const file = event.dataTransfer.files[0]
            if (file) {
              event.preventDefault()
              dropFile(file)
              return
            }
            const given = event.dataTransfer.getData(FEED)
            if (!given) return
            event.preventDefault()
            drop(JSON.parse(given) as { map: string; channels: Feed['channels'] })
          }}
        >
          <span className="sr">{labels.sourceOf(name)}</span>
          {feed ? (
            feed.map ? (
              <SourceThumb feed={feed} />
            ) : (
              <ConstantSwatch input={row.input} feed={feed} />
            )
          ) : (
            <span className="chip">{labels.none}</span>
          )}
          <span style={{ minWidth: 0 }}>
            {feed?.map ? (
              <>
                <MiddleTruncate name={feed.map} />
                <Letters channels={feed.channels ?? 'rgb'} />
              </>
            ) : (
              <span className={row.origin ? '' : 'quiet'}>
                {feed ? constantWords(row.input, feed, row.origin !== null) : labels.choose}
              </span>
            )}
          </span>
        </button>
        <button className="changed" onClick={toggle} aria-expanded={open} disabled={!feed}>
          <span className="sr">{labels.adjustments2(name)}</span>
          {chips.map((chip) => (
            <span key={chip} className="chip">
              {chip}
            </span>
          ))}
          {derived && row.own && <span className="chip own">{labels.own}</span>}
          {chips.length === 0 && !(derived && row.own) && feed && (
            <span className="small">{open ? 'close' : 'adjust'}</span>
          )}
        </button>
        <ResultPreview row={row} solo={solo} />
        <Leaving row={row} />
      </div>
      {open && children}
    </>
  )
}

function ResultPreview({ row, solo }: { row: Row; solo: boolean }) {
  if (row.problem) return <span className="brick small">! {row.problem}</span>
  if (!row.gives || !row.picture) return <span className="small">{labels.nothing}</span>
  const { low, high, mean, unit, histogram } = row.gives
  const flat = high - low < 0.002
  const number = (value: number) =>
    unit === 'degrees' ? `${value.toFixed(value < 10 ? 1 : 0)}°` : value.toFixed(2)
  const metal = row.input === 'metallic' && !flat
  const between = histogram.slice(3, -3).reduce((sum, value) => sum + value, 0)
  const words = flat
    ? [row.input === 'emission' && high === 0 ? 'black' : number(mean)]
    : metal
      ? [labels.metal(Math.round(mean * 100)), labels.between(Math.round(between * 100))]
      : unit === 'degrees'
        ? [labels.to(number(high)), labels.mean(number(mean))]
        : [
            `${unit === 'luminance' ? 'L ' : ''}${number(low)}–${number(high)}`,
            labels.mean(number(mean)),
          ]
  return (
    <div className="gives">
      {flat && !row.feed?.map ? (
        <span />
      ) : (
        <Picture
          className="thumb"
          src={`/api/stage-pictures/${row.picture}/256.png`}
          width={40}
          height={40}
          alt={labels.asItResults(INPUT_WORDS[row.input].name)}
          style={{ outline: solo ? '2px solid var(--accent)' : 'none' }}
        />
      )}
      {flat ? (
        <span />
      ) : (
        <Histogram
          values={histogram}
          width={62}
          height={34}
          words={labels.fromTo(number(low), number(high))}
        />
      )}
      <span className="mono" style={{ fontSize: 10.5 }}>
        {words.map((text) => (
          <span key={text} style={{ display: 'block', whiteSpace: 'nowrap' }}>
            {text}
          </span>
        ))}
      </span>
    </div>
  )
}

function Leaving({ row }: { row: Row }) {
  const { leaves } = row
  return (
    <div className="leaves">
      {leaves.file ? (
        <>
          <span className="mono" title={leaves.file}>
            <MiddleTruncate
              name={`${leaves.words}${leaves.file.slice(leaves.file.lastIndexOf('.'))}`}
            />
          </span>
          <span style={{ whiteSpace: 'nowrap' }}>
            <span className="mono">
              {leaves.channels.split('').map((letter) => (
                <b key={letter} className={`ch-${letter}`}>
                  {letter.toUpperCase()}{' '}
                </b>
              ))}
            </span>
            {leaves.quantity && (
              <span className="quiet" style={{ fontSize: 11 }}>
                {leaves.quantity}
              </span>
            )}
          </span>
        </>
      ) : (
        <span className={`mono ${leaves.carried ? 'quiet' : 'amber'}`}>
          {!leaves.carried && '△ '}
          {leaves.words}
        </span>
      )}
    </div>
  )
}

export function Letters({ channels }: { channels: string }) {
  if (channels === 'luminance') return <span className="chip">{labels.luminance}</span>
  return (
    <span style={{ display: 'flex', gap: 3 }}>
      {channels.split('').map((letter) => (
        <span key={letter} className={`letter ch-${letter}`}>
          {letter.toUpperCase()}
        </span>
      ))}
    </span>
  )
}

function SourceThumb({ feed }: { feed: Feed }) {
  const sha = useSha(feed.map ?? '')
  const view = feed.channels && feed.channels.length === 1 ? feed.channels : 'rgb'
  return sha ? (
    <Picture
      className="thumb"
      src={`/api/map-pictures/${sha}/${view}/128.png`}
      width={40}
      height={40}
      alt=""
    />
  ) : (
    <span className="thumb swatch" />
  )
}

function useSha(map: string): string | undefined {
  const known = useBoard().data?.find((entry) => entry.name === map)
  return known && known.width > 0 ? known.sha256 : undefined
}

function ConstantSwatch({ input, feed }: { input: InputName; feed: Feed }) {
  const value = feed.value
  const colour = Array.isArray(value)
    ? input === 'normal'
      ? value.map((v) => (v * 0.5 + 0.5) ** 2.2)
      : value
    : [value ?? 0, value ?? 0, value ?? 0]
  return <span className="swatch" style={{ background: toHex(colour) }} aria-hidden />
}

function constantWords(input: InputName, feed: Feed, stated: boolean): string {
  if (input === 'normal') return 'flat'
  if (!stated && input === 'emission') return 'none'
  if (Array.isArray(feed.value)) return toHex(feed.value)
  return (feed.value ?? 0).toFixed(2)
}
