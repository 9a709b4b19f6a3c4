import { styled } from '@mui/material/styles'
import { Box, Button, Divider, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'
import { useEdit } from '../api/changes'
import { useBoard, useProject } from '../api/queries'
import { calledSoon, useQueue, waitingOf } from '../api/queue'
import type { Feed, InputName, Sheet } from '../api/types'
import { AskName } from '../components/AskName'
import { ALPHA_WORDS, naturally } from '../words'
import { ChooseOne } from './ChooseOne'
import { useClipboard } from './clipboard'
import { lies, placed } from './feed'
import { Settings } from './Settings'
import { RemoveMaterial } from './RemoveMaterial'
import { NoteMark } from '../team/NoteMark'
import { useNoting } from '../team/notes'
import type { useDraft } from './useDraft'
import { labels } from '../words/materials'

const SettingsBox = styled('button')({
  display: 'flex',
  flexWrap: 'wrap',
  gap: 6,
})

export type Draft = ReturnType<typeof useDraft>
type Question = 'rename' | 'derive' | 'base' | 'pattern' | 'twin' | 'delete'
type Act = (change: Parameters<ReturnType<typeof useEdit>>[0]) => void

/** The material's name, its settings in short, where it is, and what can be done with it. */
export function SheetHead({
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
  const [asking, setAsking] = useState<Question | null>(null)
  const [settings, setSettings] = useState<HTMLElement | null>(null)
  const called = calledSoon(name, useQueue(waitingOf(project.id)))
  const act: Act = async (change) => {
    setAnchor(null)
    const before = new Set(Object.keys(project.document.materials ?? {}))
    const after = await edit(change)
    const fresh = Object.keys(after?.document.materials ?? {}).find(
      (material) => !before.has(material),
    )
    if (fresh) go(fresh)
  }
  const ask = (question: Question) => {
    setAnchor(null)
    setAsking(question)
  }
  return (
    <Box
      className="bar"
      data-menu
      sx={{ gap: 1, height: 'auto', minHeight: 42, paddingBlock: 0.5, flexWrap: 'wrap' }}
    >
      <Box component="h1" sx={{ fontSize: 17 }} className="ellipsis" title={called}>
        {called}
      </Box>
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
      <SettingsInShort sheet={sheet} open={setSettings} />
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
      <MaterialMenu
        name={name}
        sheet={sheet}
        anchor={anchor}
        close={() => setAnchor(null)}
        ask={ask}
        act={act}
      />
      {settings && (
        <Settings name={name} sheet={sheet} anchor={settings} close={() => setSettings(null)} />
      )}
      {asking && (
        <Dialogs
          asking={asking}
          name={name}
          called={called}
          sheet={sheet}
          close={() => setAsking(null)}
          act={act}
        />
      )}
    </Box>
  )
}

/** What the material is set to, a chip each; pressed, the settings open. */
function SettingsInShort({ sheet, open }: { sheet: Sheet; open: (at: HTMLElement) => void }) {
  const { stage } = sheet
  const tiling = stage.uv.tiling ?? [1, 1]
  const mark = (...settings: string[]) =>
    sheet.chain.length > 1 && settings.some((setting) => sheet.own_settings.includes(setting))
      ? 'chip own'
      : 'chip'
  const edged = stage.wrap.join() === 'repeat,repeat' ? null : stage.wrap
  return (
    <SettingsBox
      className="plain settings"
      aria-haspopup="dialog"
      onClick={(event) => open(event.currentTarget)}
    >
      <span className="sr">{labels.settingsOfTheMaterial} </span>
      <span className={mark('surface_tag')}>{sheet.surface_tag ?? labels.noTag}</span>
      <span className={mark('uv')}>
        {tiling[0] === 1 && tiling[1] === 1 ? labels.tilesOnce : labels.tiles(tiling[0], tiling[1])}
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
        {stage.double_sided ? labels.doubleSided2 : labels.singleSided}
      </span>
      <span className={mark('alpha_mode', 'alpha_cutoff')}>
        {ALPHA_WORDS[stage.alpha_mode]}
        {stage.alpha_mode === 'mask' && labels.at(stage.alpha_cutoff.toFixed(2))}
      </span>
      <span aria-hidden>▾</span>
    </SettingsBox>
  )
}

function MaterialMenu({
  name,
  sheet,
  anchor,
  close,
  ask,
  act,
}: {
  name: string
  sheet: Sheet
  anchor: HTMLElement | null
  close: () => void
  ask: (question: Question) => void
  act: Act
}) {
  const materials = useProject().data!.document.materials ?? {}
  const edit = useEdit()
  const { sheet: copied, copySheet } = useClipboard()
  const note = useNoting((state) => state.open)
  const pasteSheet = async () => {
    close()
    const inputs = Object.entries(copied?.entry.inputs ?? {}) as [InputName, Feed][]
    await edit(
      ...inputs.map(
        ([input, feed]) => ({ kind: 'set-feed', material: name, input, feed }) as const,
      ),
    )
  }
  return (
    <Menu open={anchor !== null} anchorEl={anchor} onClose={close}>
      <MenuItem onClick={() => ask('rename')}>{labels.renameAsk}</MenuItem>
      <MenuItem onClick={() => void act({ kind: 'duplicate-material', material: name })}>
        {labels.duplicate}
      </MenuItem>
      <MenuItem onClick={() => ask('derive')}>{labels.deriveAMaterial}</MenuItem>
      {sheet.chain.length > 1 && (
        <MenuItem onClick={() => void act({ kind: 'detach', material: name })}>
          {labels.detachFrom} {sheet.chain[1]}
        </MenuItem>
      )}
      <MenuItem onClick={() => ask('base')}>
        {sheet.chain.length > 1 ? labels.giveItAnotherBase : labels.giveItABase}
      </MenuItem>
      <MenuItem onClick={() => ask('pattern')}>{labels.useAsAPatternForA}</MenuItem>
      <MenuItem onClick={() => ask('twin')}>{labels.deriveATwinFromASet}</MenuItem>
      <Divider />
      <MenuItem
        onClick={() => {
          close()
          copySheet(name, materials[name]!)
        }}
      >
        {labels.copyTheSheet}
      </MenuItem>
      <MenuItem
        onClick={() => {
          close()
          note({ kind: 'material', place: [name] })
        }}
      >
        {labels.addNote}
      </MenuItem>
      {copied && copied.name !== name && (
        <MenuItem onClick={() => void pasteSheet()}>{labels.pasteTheSheetOf(copied.name)}</MenuItem>
      )}
      <Divider />
      <MenuItem onClick={() => ask('delete')}>{labels.delete}</MenuItem>
    </Menu>
  )
}

function Dialogs({
  asking,
  name,
  called,
  sheet,
  close,
  act,
}: {
  asking: Question
  name: string
  called: string
  sheet: Sheet
  close: () => void
  act: Act
}) {
  const materials = useProject().data!.document.materials ?? {}
  const sets = [...new Set((useBoard().data ?? []).map((map) => map.set))]
  return (
    <>
      {asking === 'rename' && (
        <AskName
          title={labels.renameTheMaterial}
          label={labels.materialName}
          initial={called}
          close={close}
          done={(to) => void act({ kind: 'rename-material', material: name, name: to })}
        />
      )}
      {asking === 'base' && (
        <ChooseOne
          title={labels.giveItABaseTitle}
          label={labels.base}
          close={close}
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
          close={close}
          options={sets}
          hint={labels.aNewMaterialWithTheSame}
          done={(set) => void act({ kind: 'apply-pattern', material: name, set, derived: false })}
        />
      )}
      {asking === 'twin' && (
        <ChooseOne
          title={labels.deriveATwin}
          label={labels.mapSet}
          close={close}
          options={sets}
          hint={labels.aVariantOfWithTheMaps(name, name)}
          done={(set) => void act({ kind: 'apply-pattern', material: name, set, derived: true })}
        />
      )}
      {asking === 'delete' && <RemoveMaterial sheet={sheet} close={close} />}
      {asking === 'derive' && (
        <AskName
          title={labels.deriveAMaterialTitle}
          label={labels.materialName}
          initial={labels.variant(name)}
          hint={labels.itHasOverridesOnlyTheRest}
          close={close}
          done={(to) => void act({ kind: 'add-material', name: to, base: name })}
        />
      )}
    </>
  )
}
