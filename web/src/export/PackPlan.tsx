import { styled } from '@mui/material/styles'
import { Box, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useProject } from '../api/queries'
import type { Package, Plan } from '../api/types'
import { bytes, count, inWords, sizeWords, sizesWith } from '../words'
import { labels } from '../words/export'

const PlanCell = styled('div')({
  display: 'grid',
  placeContent: 'center',
  justifyItems: 'center',
  minHeight: 32,
  padding: 2,
  border: '1px solid var(--strong)',
  borderRadius: 3,
  background: 'var(--raised)',
  fontSize: 10.5,
  lineHeight: 1.3,
  textAlign: 'center',
  minWidth: 0,
  overflow: 'hidden',
  '&.bare': {
    borderStyle: 'dashed',
    background: 'none',
    color: 'var(--ink3)',
  },
})

const PlanHead = styled('div')({
  display: 'grid',
  gridTemplateColumns: '184px repeat(3, minmax(48px, 1fr)) minmax(48px, 1fr) 62px',
  gap: 4,
  alignItems: 'center',
  padding: '0 14px',
  height: 28,
  borderBottom: '1px solid var(--line)',
  fontSize: 11.5,
  color: 'var(--ink2)',
  textAlign: 'center',
})

const PlanRow = styled('div')({
  display: 'grid',
  gridTemplateColumns: '184px repeat(3, minmax(48px, 1fr)) minmax(48px, 1fr) 62px',
  gap: 4,
  alignItems: 'center',
  padding: '0 14px',
  minHeight: 44,
  borderBottom: '1px solid var(--line)',
})

type PlannedFile = Plan['files'][number]
type Channel = NonNullable<PlannedFile['channels'][string]>

/** Neighbouring channels that carry the same input from the same source stand in one cell. */
function groups(file: PlannedFile): { letters: string; channel: Channel | null }[] {
  const groups: { letters: string; channel: Channel | null }[] = []
  for (const letter of ['r', 'g', 'b', 'a']) {
    const channel = file.channels[letter] ?? null
    const before = groups.at(-1)
    if (
      before &&
      letter !== 'a' &&
      before.channel &&
      channel &&
      before.channel.carries === channel.carries &&
      before.channel.source === channel.source
    )
      before.letters += letter
    else groups.push({ letters: letter, channel })
  }
  return groups
}

/** Files against their channels: each cell names the input it carries and where that comes from. */
export function PackPlan({
  plan,
  last,
  fixed,
}: {
  plan: Plan
  last: Package | undefined
  fixed?: boolean
}) {
  const listed = (last?.files ?? []).flatMap((file) => [file, ...(file.images ?? [])])
  const onDisk = new Map(listed.map((file) => [file.path, file.bytes]))
  return (
    <div className="scroll" tabIndex={0} aria-label={labels.plannedFiles}>
      <PlanHead>
        <Box component="span" sx={{ textAlign: 'left' }}>
          {labels.file}
        </Box>
        {['r', 'g', 'b', 'a'].map((letter) => (
          <b key={letter} className={`ch-${letter}`}>
            {letter.toUpperCase()}
          </b>
        ))}
        <span>{labels.memory}</span>
      </PlanHead>
      {plan.files.map((file) => (
        <PlanRow key={file.path} className="plan-row">
          <Box sx={{ minWidth: 0 }}>
            <div
              className="mono ellipsis"
              title={labels.nfor(file.path, file.materials.join(', '))}
            >
              {last && file.state !== 'same' && (
                <span className="amber" title={labels.sinceTheLastExport(file.state)}>
                  {file.state === 'new' ? '+ ' : '~ '}
                </span>
              )}
              {file.path.split('/').at(-1)}
            </div>
            <Box className="small" sx={{ fontSize: 11, whiteSpace: 'nowrap' }}>
              <SizeOf file={file} fixed={fixed ?? false} /> ·{' '}
              {file.encoding === 'srgb' ? labels.srgb : labels.wordLin}
              {file.basis ? ` ${file.basis.toUpperCase()}` : labels.bit(file.bits)}
              {file.levels > 1 && labels.mips} ·{' '}
              {onDisk.has(file.path) && file.state === 'same' ? (
                bytes(onDisk.get(file.path)!)
              ) : (
                <span title={labels.guessedFromTheMapsOwnFiles}>≈ {bytes(file.estimate)}</span>
              )}
            </Box>
          </Box>
          {groups(file).map(({ letters, channel }) => (
            <PlanCell
              key={letters}
              className={`mono ${channel ? '' : 'bare'}`}
              style={{ gridColumn: `span ${letters.length}` }}
              title={
                channel
                  ? `${channel.source}${channel.changed ? `, ${channel.changed}` : ''}`
                  : labels.carriesNothing
              }
            >
              {channel ? (
                <>
                  <span>
                    {inWords(channel.carries)}
                    {channel.changed && letters.length > 1 && ` · ${channel.changed}`}
                  </span>
                  {letters.length === 1 && (
                    <Box
                      component="b"
                      className={`ch-${letters} ellipsis`}
                      sx={{ maxWidth: '100%' }}
                    >
                      {channel.source.includes('.')
                        ? channel.source.split('.').at(-1)
                        : channel.source}
                      {channel.changed && ' ⤳'}
                    </Box>
                  )}
                </>
              ) : (
                '–'
              )}
            </PlanCell>
          ))}
          <Box component="span" className="mono" sx={{ textAlign: 'right' }}>
            {bytes(file.memory)}
          </Box>
        </PlanRow>
      ))}
      <Box component="p" className="small" sx={{ padding: '10px 14px' }}>
        {plan.factors > 0 &&
          labels.writtenAsNumbers(count(plan.factors, 'input'), plan.factors === 1 ? 'is' : 'are')}
        {plan.converted.length > 0 && labels.inAnotherForm(plan.converted.join('; '))}
        {plan.left_out.length > 0 && (
          <span className="amber">{labels.leftOutForThisTargetDoes(plan.left_out.join('; '))}</span>
        )}
      </Box>
      <Unassigned names={plan.unassigned} fixed={fixed ?? false} />
      <GoesAlong meshes={plan.meshes} />
      <Memory plan={plan} />
    </div>
  )
}

/** Materials that no slot uses: they are not exported unless that is asked for. */
function Unassigned({ names, fixed }: { names: string[]; fixed: boolean }) {
  const edit = useEdit()
  if (names.length === 0) return null
  return (
    <Box component="p" className="small" sx={{ padding: '0 14px 10px' }}>
      {labels.notExportedBecauseNoSlotUses} {names.length === 1 ? labels.wordIt : labels.wordThem}:{' '}
      {names.join(', ')}.{' '}
      {!fixed && (
        <button
          className="link"
          onClick={() => void edit({ kind: 'leave-out', what: 'materials', names, out: false })}
        >
          {labels.exportToo(names.length === 1 ? 'it' : 'them')}
        </button>
      )}
    </Box>
  )
}

/** What of each mesh's file goes along, and what stays behind. */
function GoesAlong({ meshes }: { meshes: Plan['meshes'] }) {
  const told = meshes.filter((mesh) => mesh.goes.length + mesh.left.length > 0)
  if (told.length === 0) return null
  return (
    <Box
      component="section"
      sx={{ padding: '4px 14px 12px' }}
      aria-label={labels.alsoIncludedFromTheMeshFiles}
    >
      <h2>{labels.alsoIncludedFromTheMeshFile}</h2>
      {told.map((mesh) => (
        <Box key={mesh.mesh} className="small" sx={{ padding: '3px 0' }}>
          <b>{mesh.mesh}</b> {mesh.goes.join(' · ') || labels.onlyWhatIsDrawn}
          {mesh.left.map((one) => (
            <div key={one.message} className={one.severity === 'note' ? 'quiet' : 'amber'}>
              {one.severity === 'note' ? '–' : '△'} {one.message}
            </div>
          ))}
        </Box>
      ))}
    </Box>
  )
}

/** A file's size, with a choice of smaller ones for the materials that use it. */
function SizeOf({ file, fixed }: { file: PlannedFile; fixed: boolean }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const materials = useProject().data?.document.materials ?? {}
  const edit = useEdit()
  const own = materials[file.materials[0]!]?.size_limit ?? 0
  const words = sizeWords(file.width, file.height)
  if (fixed) return words
  const choose = (size: number) => {
    setAnchor(null)
    void edit(
      ...file.materials.map((material) => ({
        kind: 'set-setting' as const,
        material,
        setting: 'size_limit' as const,
        value: size || null,
      })),
    )
  }
  return (
    <>
      <button
        className="link"
        aria-haspopup="menu"
        title={labels.longestSideFor(file.materials.join(', '))}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {words}
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {sizesWith(own).map((size) => (
          <MenuItem key={size} selected={size === own} onClick={() => choose(size)}>
            {size ? labels.atMostTexels(size) : labels.asLargeAsItsMaps}
          </MenuItem>
        ))}
      </Menu>
    </>
  )
}

function Memory({ plan }: { plan: Plan }) {
  const perMaterial = new Map<string, number>()
  for (const file of plan.files)
    perMaterial.set(file.materials[0]!, (perMaterial.get(file.materials[0]!) ?? 0) + file.memory)
  const parts = [...perMaterial].sort((a, b) => b[1] - a[1])
  if (plan.memory === 0) return null
  return (
    <Box sx={{ padding: '4px 14px 16px' }}>
      <Box component="p" sx={{ marginBottom: 0.5 }}>
        {labels.graphicsMemory} <b className="mono">{bytes(plan.memory)}</b>{' '}
        <span className="small">
          {plan.files.every((file) => file.basis)
            ? labels.asItStaysCompressed
            : labels.uncompressedWithMips(
                plan.files.some((file) => file.basis) ? labels.butForEtc1sAndUastc : '',
              )}
        </span>
      </Box>
      <Box
        sx={{ display: 'flex', height: 14, border: '1px solid var(--strong)' }}
        role="img"
        aria-label={parts.map(([name, size]) => `${name} ${bytes(size)}`).join(', ')}
      >
        {parts.map(([name, size], index) => (
          <div
            key={name}
            title={`${name} ${bytes(size)}`}
            style={{
              flex: size,
              background: index % 2 ? 'var(--strong)' : 'var(--ink3)',
              borderRight: '1px solid var(--raised)',
            }}
          />
        ))}
      </Box>
      <p className="small">{parts.map(([name]) => name).join(' · ')}</p>
    </Box>
  )
}
