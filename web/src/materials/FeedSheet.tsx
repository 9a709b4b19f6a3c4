import { Button, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'

import { useBoard, useEdit, useProject } from '../api/queries'
import type { Feed, InputName, Row } from '../api/types'
import { useStatus } from '../layout/notices'
import { AskName } from '../layout/ProjectMenu'
import { Histogram } from '../maps/Histogram'
import { ALPHA_WORDS, INPUT_WORDS } from '../words'
import { Adjust } from './Adjust'
import { toHex } from './colour'
import { Settings } from './Settings'
import { SourcePicker } from './SourcePicker'
import type { useDraft } from './useDraft'

type Draft = ReturnType<typeof useDraft>

/** One row an input, read from left to right: input, where it comes from, what changes it, what it gives, where it leaves. */
export function FeedSheet({ name, draft, solo, setSolo, openRow, setOpenRow, go }: { name: string; draft: Draft; solo: InputName | null; setSolo: (input: InputName | null) => void; openRow: InputName | null; setOpenRow: (input: InputName | null) => void; go: (name: string) => void }) {
  const { sheet, error, tryFeed, commit } = draft
  const [picking, setPicking] = useState<InputName | null>(null)
  if (!sheet) return <section className="pane" aria-label="Feed sheet"><div className="empty"><p>{error ? error.message : 'Reading …'}</p></div></section>
  const picked = sheet.rows.find((row) => row.input === picking)
  return (
    <section className="pane" aria-label="Feed sheet">
      <SheetHead name={name} draft={draft} go={go} />
      <div className="scroll" tabIndex={-1}>
        <div className="sheet-head"><span>Input</span><span>comes from</span><span>changed by</span><span>gives</span><span>leaves as</span></div>
        {sheet.rows.map((row) => (
          <RowView
            key={row.input} row={row} derived={sheet.chain.length > 1} open={openRow === row.input} solo={solo === row.input}
            toggle={() => setOpenRow(openRow === row.input ? null : row.input)} pick={() => setPicking(row.input)}
          >
            {row.feed && (
              <Adjust
                row={row} feed={row.feed} derived={sheet.chain.length > 1} tryFeed={(feed) => tryFeed(row.input, feed)} commit={(feed) => commit(row.input, feed)}
                solo={solo === row.input} toggleSolo={() => setSolo(solo === row.input ? null : row.input)}
              />
            )}
          </RowView>
        ))}
      </div>
      {picked && <SourcePicker row={picked} close={() => setPicking(null)} choose={(feed) => commit(picked.input, feed)} />}
    </section>
  )
}

function SheetHead({ name, draft, go }: { name: string; draft: Draft; go: (name: string) => void }) {
  const sheet = draft.sheet!
  const project = useProject().data!
  const edit = useEdit()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [asking, setAsking] = useState<'rename' | 'derive' | null>(null)
  const [settings, setSettings] = useState<HTMLElement | null>(null)
  const { stage } = sheet
  const tiling = stage.uv.tiling ?? [1, 1]
  const act = async (change: Parameters<typeof edit>[0]) => {
    setAnchor(null)
    const before = new Set(Object.keys(project.document.materials ?? {}))
    const after = await edit(change)
    const fresh = Object.keys(after?.document.materials ?? {}).find((material) => !before.has(material))
    if (fresh) go(fresh)
  }
  return (
    <div className="bar" style={{ gap: 8, height: 'auto', minHeight: 42, paddingBlock: 4, flexWrap: 'wrap' }}>
      <h1 style={{ fontSize: 17 }} className="ellipsis" title={name}>{name}</h1>
      {sheet.chain.length > 1 && <span className="small">from {sheet.chain.slice(1).map((base) => <button key={base} className="link" onClick={() => go(base)}>{base}</button>)}</span>}
      <button className="plain settings" aria-haspopup="dialog" onClick={(event) => setSettings(event.currentTarget)}>
        <span className="sr">Settings of the material: </span>
        <span className="chip">{sheet.surface_tag ?? 'no tag'}</span>
        <span className="chip">{tiling[0] === 1 && tiling[1] === 1 ? 'tiles once' : `tiles ${tiling[0]} × ${tiling[1]}`}</span>
        <span className="chip">{stage.double_sided ? 'double-sided' : 'one-sided'}</span>
        <span className="chip">{ALPHA_WORDS[stage.alpha_mode]}{stage.alpha_mode === 'mask' && ` at ${stage.alpha_cutoff.toFixed(2)}`}</span>
        <span aria-hidden>▾</span>
      </button>
      <span className="grow" />
      <span className="small ellipsis" title={sheet.slots.join(', ')}>{sheet.slots.length ? `on ${sheet.slots.map((slot) => slot.split(' · ')[1]).join(', ')}` : 'on no slot'}</span>
      <Button variant="text" aria-label="More for this material" aria-haspopup="menu" sx={{ minWidth: 28 }} onClick={(event) => setAnchor(event.currentTarget)}>⋯</Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem onClick={() => { setAnchor(null); setAsking('rename') }}>Rename…</MenuItem>
        <MenuItem onClick={() => void act({ kind: 'duplicate-material', material: name })}>Duplicate</MenuItem>
        <MenuItem onClick={() => { setAnchor(null); setAsking('derive') }}>Derive a material…</MenuItem>
        <MenuItem onClick={() => void act({ kind: 'remove-material', material: name })}>Delete{sheet.slots.length > 0 && `: leaves ${sheet.slots.length} bare`}</MenuItem>
      </Menu>
      {settings && <Settings name={name} sheet={sheet} anchor={settings} close={() => setSettings(null)} />}
      {asking === 'rename' && <AskName title="Rename the material" label="Material name" initial={name} close={() => setAsking(null)} done={(to) => void act({ kind: 'rename-material', material: name, name: to })} />}
      {asking === 'derive' && <AskName title="Derive a material" label="Material name" initial={`${name}_variant`} hint="It states only its own values; the rest follows its base." close={() => setAsking(null)} done={(to) => void act({ kind: 'add-material', name: to, base: name })} />}
    </div>
  )
}

function RowView({ row, derived, open, solo, toggle, pick, children }: { row: Row; derived: boolean; open: boolean; solo: boolean; toggle: () => void; pick: () => void; children: React.ReactNode }) {
  const { name, unit } = INPUT_WORDS[row.input]
  const show = useStatus((state) => state.show)
  const { feed } = row
  const chips = feed ? changes(row.input, feed) : []
  return (
    <>
      <div className={`sheet-row ${open ? 'open' : ''} ${derived && row.own ? 'own' : ''}`} onMouseEnter={() => show(feed?.map ? `${feed.map} · ${(feed.channels ?? 'rgb').toUpperCase()}` : `${name}: ${unit}`)} data-input={row.input}>
        <div>
          <b>{name}</b>
          <div className="small" style={{ fontSize: 11 }}>{unit}</div>
        </div>
        <button className="source" onClick={pick}>
          <span className="sr">{name} comes from </span>
          {feed ? (
            feed.map ? <SourceThumb feed={feed} /> : <ConstantSwatch input={row.input} feed={feed} />
          ) : <span className="chip">none</span>}
          <span style={{ minWidth: 0 }}>
            {feed?.map ? (
              <>
                <span className="ellipsis" style={{ display: 'block' }} title={feed.map}>{feed.map}</span>
                <Letters channels={feed.channels ?? 'rgb'} />
              </>
            ) : <span className={row.origin ? '' : 'quiet'}>{feed ? constantWords(row.input, feed, row.origin !== null) : 'choose…'}</span>}
          </span>
        </button>
        <button className="changed" onClick={toggle} aria-expanded={open} disabled={!feed}>
          <span className="sr">{name} adjustments </span>
          {chips.map((chip) => <span key={chip} className="chip">{chip}</span>)}
          {derived && row.own && <span className="chip own">own</span>}
          {chips.length === 0 && !(derived && row.own) && feed && <span className="small">{open ? 'close' : 'adjust'}</span>}
        </button>
        <Given row={row} solo={solo} />
        <Leaving row={row} />
      </div>
      {open && children}
    </>
  )
}

function Given({ row, solo }: { row: Row; solo: boolean }) {
  if (row.problem) return <span className="brick small">! {row.problem}</span>
  if (!row.gives || !row.picture) return <span className="small">nothing</span>
  const { low, high, mean, unit, histogram } = row.gives
  const flat = high - low < 0.002
  const number = (value: number) => (unit === 'degrees' ? `${value.toFixed(value < 10 ? 1 : 0)}°` : value.toFixed(2))
  const metal = row.input === 'metallic' && !flat
  const between = histogram.slice(3, -3).reduce((sum, value) => sum + value, 0)
  const words = flat
    ? [row.input === 'emission' && high === 0 ? 'black' : number(mean)]
    : metal ? [`${Math.round(mean * 100)} % metal`, `${Math.round(between * 100)} % between`]
    : unit === 'degrees' ? [`to ${number(high)}`, `mean ${number(mean)}`]
    : [`${unit === 'luminance' ? 'L ' : ''}${number(low)}–${number(high)}`, `mean ${number(mean)}`]
  return (
    <div className="gives">
      {flat && !row.feed?.map ? <span /> : <img className="thumb" src={`/api/stage-pictures/${row.picture}/256.png`} width={40} height={40} alt={`${INPUT_WORDS[row.input].name} as it results`} style={{ outline: solo ? '2px solid var(--accent)' : 'none' }} />}
      {flat ? <span /> : <Histogram values={histogram} width={62} height={34} words={`from ${number(low)} to ${number(high)}`} />}
      <span className="mono" style={{ fontSize: 10.5 }}>{words.map((text) => <span key={text} style={{ display: 'block', whiteSpace: 'nowrap' }}>{text}</span>)}</span>
    </div>
  )
}

function Leaving({ row }: { row: Row }) {
  const { leaves } = row
  return (
    <div className="leaves">
      {leaves.file ? (
        <>
          <span className="mono ellipsis" style={{ display: 'block' }} title={leaves.file}>{leaves.words}.png</span>
          <span className="mono">{leaves.channels.split('').map((letter) => <b key={letter} className={`ch-${letter}`}>{letter.toUpperCase()} </b>)}</span>
        </>
      ) : <span className={`mono ${leaves.carried ? 'quiet' : 'amber'}`}>{!leaves.carried && '△ '}{leaves.words}</span>}
    </div>
  )
}

export function Letters({ channels }: { channels: string }) {
  if (channels === 'luminance') return <span className="chip">luminance</span>
  return <span style={{ display: 'flex', gap: 3 }}>{channels.split('').map((letter) => <span key={letter} className={`letter ch-${letter}`}>{letter.toUpperCase()}</span>)}</span>
}

function SourceThumb({ feed }: { feed: Feed }) {
  const sha = useSha(feed.map ?? '')
  const view = feed.channels && feed.channels.length === 1 ? feed.channels : 'rgb'
  return sha ? <img className="thumb" src={`/api/map-pictures/${sha}/${view}/128.png`} width={40} height={40} alt="" /> : <span className="thumb swatch" />
}

function useSha(map: string): string | undefined {
  return useBoard().data?.find((entry) => entry.name === map)?.sha256
}

function ConstantSwatch({ input, feed }: { input: InputName; feed: Feed }) {
  const value = feed.value
  const colour = Array.isArray(value) ? (input === 'normal' ? value.map((v) => (v * 0.5 + 0.5) ** 2.2) : value) : [value ?? 0, value ?? 0, value ?? 0]
  return <span className="swatch" style={{ background: toHex(colour) }} aria-hidden />
}

function constantWords(input: InputName, feed: Feed, stated: boolean): string {
  if (!stated) return { emission: 'none', normal: 'flat', opacity: '1.00', occlusion: '1.00', metallic: '0.00', roughness: '1.00', base_color: 'white', height: 'none' }[input]
  if (Array.isArray(feed.value)) return input === 'normal' ? 'flat' : toHex(feed.value)
  return (feed.value ?? 0).toFixed(2)
}

function changes(input: InputName, feed: Feed): string[] {
  const found: string[] = []
  if (feed.invert) found.push('invert')
  const [low, high] = feed.range ?? [0, 1]
  const short = (value: number) => value.toFixed(2).replace(/^0/, '')
  if (low !== 0 || high !== 1) found.push(`range ${short(low)}–${short(high)}`)
  if ((feed.tint ?? [1, 1, 1]).some((value) => value !== 1)) found.push('tint')
  if ((feed.strength ?? 1) !== 1) found.push(input === 'normal' || input === 'emission' ? `×${(feed.strength ?? 1).toFixed(2)}` : `strength ${short(feed.strength ?? 1)}`)
  return found
}
