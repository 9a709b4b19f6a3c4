import { FilterButton, Swatch } from '../components/styles'
import { styled } from '@mui/material/styles'
import { MiddleTruncate } from '../components/MiddleTruncate'
import { Picture } from '../components/Picture'

import { Box, Button, Menu, MenuItem } from '@mui/material'
import { useEffect, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'

import { useEdit } from '../api/changes'
import { useRemembered } from '../components/remembered'
import { useBoard, useLooks, useMeshes, useProject, useProjectId } from '../api/queries'
import type { InputName, Material, Project } from '../api/types'
import { useKeys } from '../components/keys'
import { AskName } from '../components/AskName'
import { count, naturally } from '../words'
import { ownSettings } from './feed'
import { FeedSheet } from './FeedSheet'
import type { Comparison } from './MaterialStage'
import { MaterialStage } from './MaterialStage'
import { BatchRename } from './BatchRename'
import { RemoveMaterial } from './RemoveMaterial'
import { useDraft } from './useDraft'
import { labels } from '../words/materials'

const MaterialListBox = styled('ul')({
  listStyle: 'none',
  margin: 0,
  padding: 0,
  '& button': {
    display: 'grid',
    gridTemplateColumns: '40px 1fr',
    gap: 10,
    alignItems: 'center',
    width: '100%',
    padding: '6px 8px 6px 12px',
    border: 0,
    borderLeft: '3px solid transparent',
    background: 'none',
    textAlign: 'left',
    cursor: 'pointer',
  },
  '& button[aria-current="true"]': {
    background: 'var(--raised)',
    borderLeftColor: 'var(--accent)',
  },
  '& li.derived button': {
    paddingLeft: 28,
    gridTemplateColumns: '30px 1fr',
  },
  '& li': {
    contentVisibility: 'auto',
    containIntrinsicSize: 'auto 52px',
  },
})

const FindBox = styled('input')({
  margin: '6px 8px',
  padding: '4px 8px',
  border: '1px solid var(--strong)',
  borderRadius: 3,
  background: 'var(--raised)',
  color: 'var(--ink)',
  font: 'inherit',
})

const MaterialsBox = styled('div')({
  gridTemplateColumns: '176px minmax(0, 1fr) 400px',
  '@media (min-width: 1500px)': { gridTemplateColumns: '210px minmax(0, 1fr) 38%' },
})

/** Materials: the list, the feed sheet and the stage. */
export function MaterialsScreen() {
  const { name } = useParams()
  const id = useProjectId()
  const project = useProject().data!
  const navigate = useNavigate()
  const names = ordered(project).map((entry) => entry.name)
  const current = name && names.includes(name) ? name : (names[0] ?? null)
  const draft = useDraft(current)
  const [removing, setRemoving] = useState(false)
  const [solo, setSolo] = useState<InputName | null>(null)
  const [params] = useSearchParams()
  const asked = params.get('open') as InputName | null
  const [openRow, setOpenRow] = useRemembered<InputName | null>('open row', null)
  useEffect(() => {
    if (asked) setOpenRow(asked)
  }, [asked, setOpenRow])
  const [comparison, setComparison] = useState<Comparison | null>(null)
  const go = (material: string) =>
    void navigate(`/projects/${id}/materials/${encodeURIComponent(material)}`)
  const step = (by: number) => {
    const order = ordered(project)
    const next = order[order.findIndex((entry) => entry.name === current) + by]
    if (next) go(next.name)
  }
  useKeys(
    names.length === 0
      ? []
      : [
          { key: 'j', words: labels.keyNext, run: () => step(1) },
          { key: 'k', words: labels.keyPrevious, run: () => step(-1) },
          {
            key: 'c',
            words: labels.keyCompare,
            run: () =>
              setComparison(
                comparison
                  ? null
                  : openRow
                    ? { kind: 'without', input: openRow }
                    : { kind: 'choose' },
              ),
          },
          {
            key: 'Delete',
            words: labels.keyRemove,
            run: () => setRemoving(true),
          },
          {
            key: 's',
            words: labels.keyIsolateTheOpenRow,
            run: () => setSolo(solo || !openRow ? null : openRow),
          },
        ],
  )
  if (current === null) return <NoMaterials go={go} />
  return (
    <MaterialsBox className="screen materials">
      <MaterialList project={project} current={current} go={go} />
      <FeedSheet
        key={current}
        name={current}
        draft={draft}
        solo={solo}
        setSolo={setSolo}
        openRow={openRow}
        setOpenRow={setOpenRow}
        go={go}
        compareWithout={(input) => setComparison({ kind: 'without', input })}
      />
      <MaterialStage
        key={`stage ${current}`}
        name={current}
        sheet={draft.sheet}
        solo={solo}
        comparison={comparison}
        compare={setComparison}
      />
      {removing && draft.sheet && (
        <RemoveMaterial sheet={draft.sheet} close={() => setRemoving(false)} />
      )}
    </MaterialsBox>
  )
}

/** The folder that a material is shown in: its own, or that of what it derives from. */
function folderOf(name: string, materials: Record<string, Material>): string {
  const seen = new Set<string>()
  for (let at: string | null | undefined = name; at && !seen.has(at); at = materials[at]?.from) {
    seen.add(at)
    const folder: string | null | undefined = materials[at]?.folder
    if (folder) return folder
  }
  return ''
}

/** Materials by name, derived ones under their base. */
function ordered(project: Project): { name: string; depth: number }[] {
  const materials = Object.fromEntries(
    Object.entries(project.document.materials ?? {}).sort(([a], [b]) => naturally(a, b)),
  )
  const order: { name: string; depth: number }[] = []
  const visit = (name: string, depth: number) => {
    if (order.some((entry) => entry.name === name)) return
    order.push({ name, depth })
    for (const [other, entry] of Object.entries(materials))
      if (entry.from === name) visit(other, depth + 1)
  }
  for (const [name, entry] of Object.entries(materials))
    if (!entry.from || !(entry.from in materials)) visit(name, 0)
  for (const name of Object.keys(materials)) visit(name, 0)
  return order
}

function MaterialList({
  project,
  current,
  go,
}: {
  project: Project
  current: string
  go: (name: string) => void
}) {
  const meshes = useMeshes().data ?? []
  const materials = project.document.materials ?? {}
  const [search, setSearch] = useState('')
  const [unused, setUnused] = useState(false)
  const [ruling, setRuling] = useState(false)
  const assigned = (name: string) =>
    meshes.filter((mesh) => Object.values(mesh.assigned).includes(name)).length
  const isUsed = (name: string) =>
    assigned(name) > 0 || Object.values(materials).some((entry) => entry.from === name)
  const words = search.trim().toLowerCase()
  const shown = ordered(project).filter(
    ({ name }) =>
      (!unused || !isUsed(name)) &&
      (!words ||
        `${name} ${materials[name]?.surface_tag ?? ''} ${folderOf(name, materials)}`
          .toLowerCase()
          .includes(words)),
  )
  const folders = [...new Set(shown.map(({ name }) => folderOf(name, materials)))].sort(naturally)
  return (
    <nav className="pane" aria-label={labels.materials}>
      <Box className="bar" sx={{ height: 40, gap: 0.75, padding: '0 8px 0 14px' }}>
        <h2>{labels.materials}</h2>
        <span className="small grow">{Object.keys(materials).length}</span>
        <FilterButton
          className={`small ${unused ? 'accent' : ''}`}
          aria-pressed={unused}
          onClick={() => setUnused(!unused)}
        >
          {labels.unused}
        </FilterButton>
      </Box>
      {Object.keys(materials).length > 8 && (
        <FindBox
          placeholder={labels.nameTagOrFolder}
          aria-label={labels.searchMaterials}
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter' && shown[0]) go(shown[0].name)
            if (event.key === 'Escape') setSearch('')
          }}
        />
      )}
      <div className="scroll" tabIndex={-1}>
        {folders.map((folder) => (
          <section key={folder} aria-label={folder || labels.materials}>
            {folder && (
              <Box component="h3" className="small" sx={{ padding: '8px 14px 2px' }}>
                {folder}
              </Box>
            )}
            <MaterialListBox>
              {shown
                .filter(({ name }) => folderOf(name, materials) === folder)
                .map(({ name, depth }) => (
                  <MaterialItem
                    key={name}
                    name={name}
                    depth={depth}
                    entry={materials[name]!}
                    assigned={assigned(name)}
                    current={name === current}
                    go={go}
                  />
                ))}
            </MaterialListBox>
          </section>
        ))}
        {shown.length === 0 && (
          <Box component="p" className="small" sx={{ padding: 1.75 }}>
            {labels.noMaterialHereClearTheSearch}
          </Box>
        )}
      </div>
      <Box className="row wrap" sx={{ padding: 1.5, borderTop: '1px solid var(--line)' }}>
        <NewMaterial go={go} />
        <Button variant="text" onClick={() => setRuling(true)}>
          {labels.batchRenameAsk}
        </Button>
      </Box>
      {ruling && <BatchRename project={project} close={() => setRuling(false)} />}
    </nav>
  )
}

function MaterialItem({
  name,
  depth,
  entry,
  assigned,
  current,
  go,
}: {
  name: string
  depth: number
  entry: Material
  assigned: number
  current: boolean
  go: (name: string) => void
}) {
  const looks = useLooks().data ?? {}
  const short =
    entry.from && name.startsWith(`${entry.from}_`) ? `…${name.slice(entry.from.length)}` : name
  const key = looks[name]?.picture
  return (
    <li className={depth > 0 ? 'derived' : ''}>
      <button aria-current={current} onClick={() => go(name)} title={name}>
        {key ? (
          <Picture
            className="thumb"
            alt=""
            src={`/api/material-pictures/${key}/grey-room/96.png`}
            width={depth ? 30 : 40}
            height={depth ? 30 : 40}
            loading="lazy"
          />
        ) : (
          <Swatch className="thumb" />
        )}
        <Box component="span" sx={{ minWidth: 0 }}>
          <MiddleTruncate name={short} style={{ fontWeight: current ? 600 : 400 }} />
          <span className="small">{remark(entry, assigned)}</span>
        </Box>
      </button>
    </li>
  )
}

/** What an inheriting material changes; of another, how many meshes wear it, and its tag. */
function remark(entry: Material, assigned: number) {
  if (entry.from)
    return count(Object.keys(entry.inputs ?? {}).length + ownSettings(entry).length, 'override')
  const use = assigned ? count(assigned, 'mesh', 'meshes') : labels.wordUnused
  return [use, entry.surface_tag].filter(Boolean).join(' · ')
}

function NewMaterial({
  go,
  contained = false,
}: {
  go: (name: string) => void
  contained?: boolean
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [naming, setNaming] = useState(false)
  const edit = useEdit()
  const project = useProject().data!
  const sets = [...new Set((useBoard().data ?? []).map((map) => map.set))]
  const made = async (change: Parameters<typeof edit>[0]) => {
    const before = new Set(Object.keys(project.document.materials ?? {}))
    const after = await edit(change)
    const fresh = Object.keys(after?.document.materials ?? {}).find((name) => !before.has(name))
    if (fresh) go(fresh)
  }
  return (
    <>
      <Button
        variant={contained ? 'contained' : 'outlined'}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {labels.newMaterial}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setNaming(true)
          }}
        >
          {labels.empty}
        </MenuItem>
        {sets.map((set) => (
          <MenuItem
            key={set}
            onClick={() => {
              setAnchor(null)
              void made({ kind: 'material-from-set', set })
            }}
          >
            {labels.fromTheSet(set)}
          </MenuItem>
        ))}
      </Menu>
      {naming && (
        <AskName
          title={labels.makeAMaterial}
          label={labels.materialName}
          initial="material"
          close={() => setNaming(false)}
          done={(name) => void made({ kind: 'add-material', name })}
        />
      )}
    </>
  )
}

function NoMaterials({ go }: { go: (name: string) => void }) {
  return (
    <div className="empty">
      <h1>{labels.noMaterialsYet}</h1>
      <p>{labels.makeOneFromAMapSet}</p>
      <NewMaterial go={go} contained />
    </div>
  )
}
