import {
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  MenuItem,
  TextField,
} from '@mui/material'
import { useRef, useState } from 'react'
import type { ReactNode } from 'react'

import { useDraftTarget, useEdit, useTargets } from '../api/queries'
import { CARRIES } from '../api/tables'
import type { Profile, Project } from '../api/types'
import { PackPlan } from '../export/PackPlan'
import { useNotices } from '../api/notices'
import { bytes, count } from '../words'

type File = Profile['files'][number]
const GROUPS = ['rgb', 'r', 'g', 'b', 'a'] as const

/** Targets of the project's own: copied from any, changed, with what they would give while one types; taken in and given out as JSON. */
export function OwnTargets({ project, close }: { project: Project; close: () => void }) {
  const targets = useTargets().data ?? []
  const own = Object.keys(project.document.targets ?? {})
  const edit = useEdit()
  const say = useNotices((state) => state.say)
  const [draft, setDraft] = useState<{ profile: Profile; replaces: string | null } | null>(null)
  const input = useRef<HTMLInputElement>(null)
  const copy = (profile: Profile) => {
    let id = `${profile.id}-own`
    while (targets.some((entry) => entry.id === id)) id += '-2'
    setDraft({ profile: { ...profile, id, title: `${profile.title}, changed` }, replaces: null })
  }
  const take = async (file: globalThis.File) => {
    try {
      setDraft({ profile: JSON.parse(await file.text()) as Profile, replaces: null })
    } catch {
      say(new Error(`${file.name}: this is not JSON. Choose a target that was saved from here.`))
    }
  }
  if (draft) return <EditTarget draft={draft} close={() => setDraft(null)} />
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <DialogTitle>Targets</DialogTitle>
      <DialogContent>
        <table className="grid">
          <tbody>
            {targets.map((target) => (
              <tr key={target.id}>
                <td>
                  <b>{target.title}</b>
                  <div className="small mono">
                    {target.id}
                    {own.includes(target.id) ? ' · your own' : ' · built in'}
                  </div>
                </td>
                <td style={{ textAlign: 'right', whiteSpace: 'nowrap' }}>
                  {own.includes(target.id) && (
                    <Button
                      variant="text"
                      onClick={() => setDraft({ profile: target, replaces: target.id })}
                    >
                      Change
                    </Button>
                  )}
                  <Button
                    variant="text"
                    onClick={() => copy(target)}
                    aria-label={`Copy ${target.title}`}
                  >
                    Copy
                  </Button>
                  <Button
                    variant="text"
                    component="a"
                    href={`data:application/json,${encodeURIComponent(JSON.stringify(target, null, 2))}`}
                    download={`${target.id}.json`}
                  >
                    Save
                  </Button>
                  {own.includes(target.id) && (
                    <Button
                      variant="text"
                      onClick={() => void edit({ kind: 'remove-profile', target: target.id })}
                    >
                      Remove
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="small" style={{ marginTop: 8 }}>
          Your own targets travel with the project. Copy the nearest one and change what your engine
          does otherwise.
        </p>
      </DialogContent>
      <DialogActions>
        <input
          ref={input}
          type="file"
          accept=".json"
          hidden
          aria-label="Target file"
          onChange={(event) => {
            const file = event.target.files?.[0]
            if (file) void take(file)
            event.target.value = ''
          }}
        />
        <Button onClick={() => input.current?.click()}>Take in a file…</Button>
        <Button variant="contained" onClick={close}>
          Done
        </Button>
      </DialogActions>
    </Dialog>
  )
}

function EditTarget({
  draft,
  close,
}: {
  draft: { profile: Profile; replaces: string | null }
  close: () => void
}) {
  const [profile, setProfile] = useState(draft.profile)
  const edit = useEdit()
  const tried = useDraftTarget(profile).data
  const change = (part: Partial<Profile>) => setProfile({ ...profile, ...part })
  const mesh = (part: Partial<NonNullable<Profile['mesh']>>) =>
    change({
      mesh: {
        up: 'y',
        unit: 'm',
        vertex_colours: false,
        containers: 'each',
        uv_transform: 'carried',
        ...profile.mesh,
        ...part,
      },
    })
  const setFile = (index: number, part: Partial<File>) =>
    change({ files: profile.files.map((file, at) => (at === index ? { ...file, ...part } : file)) })
  const save = () =>
    void edit({ kind: 'set-profile', profile: profile as never, replaces: draft.replaces }).then(
      (done) => done && close(),
    )
  const text = (label: string, value: string, set: (value: string) => void, help = '') => (
    <TextField
      label={label}
      value={value}
      helperText={help}
      onChange={(event) => set(event.target.value)}
    />
  )
  const pick = <T extends string>(
    label: string,
    value: T,
    options: readonly (readonly [T, string])[],
    set: (value: T) => void,
  ) => (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => set(event.target.value as T)}
    >
      {options.map(([key, words]) => (
        <MenuItem key={key} value={key}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  )
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth>
      <DialogTitle>{draft.replaces ? 'Change the target' : 'A target of your own'}</DialogTitle>
      <DialogContent>
        <div className="fields three">
          {text('Title', profile.title, (title) => change({ title }))}
          {text('Id', profile.id, (id) => change({ id }), 'small letters, digits and -')}
          {text(
            'Names of files',
            profile.name_rule ?? '',
            (name_rule) => change({ name_rule }),
            '{material} {suffix} {target}',
          )}
          {pick(
            'Container',
            profile.container,
            [
              ['glb', 'one GLB'],
              ['gltf', 'glTF and files'],
              ['gltf-embedded', 'one glTF, all in its text'],
              ['usdz', 'one USDZ'],
              ['loose', 'mesh and loose maps'],
            ],
            (container) => change({ container }),
          )}
          {pick(
            'Green of normals',
            profile.normal_y ?? '+',
            [
              ['+', 'points up (+Y)'],
              ['-', 'points down (−Y)'],
            ],
            (normal_y) => change({ normal_y }),
          )}
          {pick(
            'Workflow',
            profile.workflow ?? 'metallic',
            [
              ['metallic', 'metallic and roughness'],
              ['specular', 'diffuse and specular'],
            ],
            (workflow) => change({ workflow }),
          )}
          {text(
            'Longest side',
            profile.size_limit ? String(profile.size_limit) : '',
            (side) => change({ size_limit: Number(side) || null }),
            'texels; empty for no limit',
          )}
          {pick(
            'Powers of two',
            profile.resize ?? 'none',
            [
              ['none', 'sizes stay'],
              ['down', 'to the next smaller'],
              ['up', 'to the next larger'],
            ],
            (resize) => change({ resize }),
          )}
          {text(
            'Memory budget',
            profile.budget ? String(profile.budget) : '',
            (budget) => change({ budget: Number(budget) || null }),
            'MB of textures; empty for none',
          )}
          {text(
            'Halved',
            String(profile.halve ?? 0),
            (halve) => change({ halve: Number(halve) || 0 }),
            'so many times',
          )}
          {text(
            'Padding round islands',
            String(profile.padding ?? 0),
            (padding) => change({ padding: Number(padding) || 0 }),
            'texels; 0 leaves maps as they are',
          )}
          {pick(
            'Containers',
            profile.mesh?.containers ?? 'each',
            [
              ['each', 'one for each mesh'],
              ['one', 'one for all, as they are drawn'],
            ],
            (containers) => mesh({ containers }),
          )}
          {pick(
            'UV transforms',
            profile.mesh?.uv_transform ?? 'carried',
            [
              ['carried', 'said beside the material'],
              ['baked', 'worked into the UVs'],
            ],
            (uv_transform) => mesh({ uv_transform }),
          )}
          {profile.container === 'usdz' &&
            pick(
              'Up',
              profile.mesh?.up ?? 'y',
              [
                ['y', 'y'],
                ['z', 'z'],
              ],
              (up) => mesh({ up }),
            )}
          {profile.container === 'usdz' &&
            pick(
              'Lengths',
              profile.mesh?.unit ?? 'm',
              [
                ['m', 'metres'],
                ['cm', 'centimetres'],
              ],
              (unit) => mesh({ unit }),
            )}
        </div>
        <div className="row wrap">
          {(profile.container === 'loose' || profile.mips) && (
            <FormControlLabel
              label="KTX2 files bring mips"
              control={
                <Checkbox
                  checked={profile.mips ?? false}
                  onChange={(event) => change({ mips: event.target.checked })}
                />
              }
            />
          )}
          {['glb', 'gltf', 'gltf-embedded'].includes(profile.container) && (
            <FormControlLabel
              label="Tints go as factors beside shared maps"
              control={
                <Checkbox
                  checked={profile.tints === 'carried'}
                  onChange={(event) =>
                    change({ tints: event.target.checked ? 'carried' : 'baked' })
                  }
                />
              }
            />
          )}
          <FormControlLabel
            label="Vertex colours go along"
            control={
              <Checkbox
                checked={profile.mesh?.vertex_colours ?? false}
                onChange={(event) => mesh({ vertex_colours: event.target.checked })}
              />
            }
          />
        </div>
        <FormControlLabel
          label="The engine compresses textures on import (the trial tells what that loses)"
          control={
            <Checkbox
              checked={profile.import?.compression === 'blocks'}
              onChange={(event) =>
                change({
                  import: {
                    settings_from: 'package',
                    ...profile.import,
                    compression: event.target.checked ? 'blocks' : 'none',
                  },
                })
              }
            />
          }
        />
        <table className="grid target-files">
          <thead>
            <tr>
              <th>Suffix</th>
              {GROUPS.map((group) => (
                <th key={group}>{group.toUpperCase()}</th>
              ))}
              <th>Encoding</th>
              <th>Format</th>
              <th>Bits</th>
              <th>Dither</th>
              <th>
                <span className="sr">Remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {profile.files.map((file, index) => (
              <tr key={index}>
                <td>
                  <TextField
                    variant="standard"
                    value={file.suffix}
                    onChange={(event) => setFile(index, { suffix: event.target.value })}
                    slotProps={{ htmlInput: { 'aria-label': `Suffix of file ${index + 1}` } }}
                    sx={{ width: 84 }}
                  />
                </td>
                {GROUPS.map((group) => (
                  <td key={group}>
                    <Small
                      label={`${group.toUpperCase()} of ${file.suffix}`}
                      value={file.channels[group] ?? ''}
                      set={(carry) =>
                        setFile(index, { channels: without(file.channels, group, carry) })
                      }
                    >
                      <MenuItem value="">–</MenuItem>
                      {CARRIES.map((carry) => (
                        <MenuItem key={carry} value={carry}>
                          {carry.replaceAll('_', ' ').replace('color', 'colour')}
                        </MenuItem>
                      ))}
                    </Small>
                  </td>
                ))}
                <td>
                  <Small
                    label={`Encoding of ${file.suffix}`}
                    value={file.encoding}
                    set={(encoding) => setFile(index, { encoding: encoding as File['encoding'] })}
                  >
                    <MenuItem value="srgb">sRGB</MenuItem>
                    <MenuItem value="linear">linear</MenuItem>
                  </Small>
                </td>
                <td>
                  <Small
                    label={`Format of ${file.suffix}`}
                    value={file.format ?? 'png'}
                    set={(format) => setFile(index, { format: format as File['format'] })}
                  >
                    {['png', 'tga', 'jpg', 'webp', 'exr', 'ktx2'].map((format) => (
                      <MenuItem key={format} value={format}>
                        {format.toUpperCase()}
                      </MenuItem>
                    ))}
                  </Small>
                </td>
                <td>
                  <Small
                    label={`Bits of ${file.suffix}`}
                    value={String(file.bits ?? 8)}
                    set={(bits) => setFile(index, { bits: Number(bits) as File['bits'] })}
                  >
                    <MenuItem value="8">8</MenuItem>
                    <MenuItem value="16">16</MenuItem>
                  </Small>
                </td>
                <td>
                  <Checkbox
                    size="small"
                    checked={file.dither ?? false}
                    disabled={file.bits === 16}
                    slotProps={{ input: { 'aria-label': `Dither ${file.suffix}` } }}
                    onChange={(event) => setFile(index, { dither: event.target.checked })}
                  />
                </td>
                <td>
                  <button
                    className="link"
                    aria-label={`Remove ${file.suffix}`}
                    disabled={profile.files.length === 1}
                    onClick={() => change({ files: profile.files.filter((_, at) => at !== index) })}
                  >
                    ×
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <Button
          sx={{ mt: 1 }}
          onClick={() =>
            change({
              files: [
                ...profile.files,
                {
                  suffix: `Map${profile.files.length + 1}`,
                  channels: { r: 'metallic' },
                  encoding: 'linear',
                  format: 'png',
                  bits: 8,
                  dither: false,
                },
              ],
            })
          }
        >
          Another file
        </Button>
        <p style={{ marginTop: 10 }} role="status">
          {tried?.problem ? (
            <span className="brick">! {tried.problem}</span>
          ) : tried?.summary?.problem ? (
            <span className="brick">! {tried.summary.problem}</span>
          ) : tried?.summary ? (
            <>
              For this project: {count(tried.summary.files, 'texture')},{' '}
              {bytes(tried.summary.memory)} in graphics memory
              {tried.summary.converted.length > 0 &&
                `; ${tried.summary.converted.join(', ')}`}.{' '}
              {tried.summary.lost.length > 0 && (
                <span className="amber">
                  △ {count(tried.summary.lost.length, 'input')} not carried:{' '}
                  {tried.summary.lost.slice(0, 3).join('; ')}
                </span>
              )}
            </>
          ) : (
            'Working it out …'
          )}
        </p>
        {tried?.plan && (
          <details>
            <summary>The files this project would give</summary>
            <div className="draft-plan">
              <PackPlan plan={tried.plan} last={undefined} fixed />
            </div>
          </details>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Cancel</Button>
        <Button variant="contained" disabled={!tried || tried.problem !== ''} onClick={save}>
          Save the target
        </Button>
      </DialogActions>
    </Dialog>
  )
}

const without = (
  channels: File['channels'],
  group: (typeof GROUPS)[number],
  carry: string,
): File['channels'] =>
  Object.fromEntries([
    ...Object.entries(channels).filter(([key]) => key !== group),
    ...(carry ? [[group, carry]] : []),
  ]) as File['channels']

function Small({
  label,
  value,
  set,
  children,
}: {
  label: string
  value: string
  set: (value: string) => void
  children: ReactNode
}) {
  return (
    <TextField
      select
      variant="standard"
      value={value}
      onChange={(event) => set(event.target.value)}
      slotProps={{ select: { SelectDisplayProps: { 'aria-label': label }, displayEmpty: true } }}
      sx={{ minWidth: 62, '& .MuiInputBase-root': { fontSize: 12 } }}
    >
      {children}
    </TextField>
  )
}
