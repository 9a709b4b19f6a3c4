import { inWords } from '../words'
import { Button, Checkbox, MenuItem, TextField } from '@mui/material'
import type { ReactNode } from 'react'

import { CARRIES } from '../api/tables'
import type { Profile } from '../api/types'
import { labels } from '../words/export'

type File = Profile['files'][number]
const GROUPS = ['rgb', 'r', 'g', 'b', 'a'] as const

interface Props {
  files: File[]
  change: (files: File[]) => void
}

/** The files of a target: what goes into which channel, and how it is stored. */
export function TargetFiles({ files, change }: Props) {
  const setFile = (index: number, part: Partial<File>) =>
    change(files.map((file, at) => (at === index ? { ...file, ...part } : file)))
  return (
    <>
      <table className="grid target-files">
        <thead>
          <tr>
            <th>{labels.suffix}</th>
            {GROUPS.map((group) => (
              <th key={group}>{group.toUpperCase()}</th>
            ))}
            <th>{labels.encoding}</th>
            <th>{labels.format}</th>
            <th>{labels.bits}</th>
            <th>{labels.dither}</th>
            <th>
              <span className="sr">{labels.remove}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {files.map((file, index) => (
            <tr key={index}>
              <td>
                <TextField
                  variant="standard"
                  value={file.suffix}
                  onChange={(event) => setFile(index, { suffix: event.target.value })}
                  slotProps={{ htmlInput: { 'aria-label': labels.suffixOfFile(index + 1) } }}
                  sx={{ width: 84 }}
                />
              </td>
              {GROUPS.map((group) => (
                <td key={group}>
                  <Small
                    label={labels.of(group.toUpperCase(), file.suffix)}
                    value={file.channels[group] ?? ''}
                    set={(carry) =>
                      setFile(index, { channels: without(file.channels, group, carry) })
                    }
                  >
                    <MenuItem value="">–</MenuItem>
                    {CARRIES.map((carry) => (
                      <MenuItem key={carry} value={carry}>
                        {inWords(carry)}
                      </MenuItem>
                    ))}
                  </Small>
                </td>
              ))}
              <td>
                <Small
                  label={labels.encodingOf(file.suffix)}
                  value={file.encoding}
                  set={(encoding) => setFile(index, { encoding: encoding as File['encoding'] })}
                >
                  <MenuItem value="srgb">{labels.srgb}</MenuItem>
                  <MenuItem value="linear">{labels.linear}</MenuItem>
                </Small>
              </td>
              <td>
                <Small
                  label={labels.formatOf(file.suffix)}
                  value={file.format ?? 'png'}
                  set={(format) =>
                    setFile(index, { format: format as File['format'], basis: null })
                  }
                >
                  {['png', 'tga', 'jpg', 'webp', 'exr', 'ktx2'].map((format) => (
                    <MenuItem key={format} value={format}>
                      {format.toUpperCase()}
                    </MenuItem>
                  ))}
                </Small>
                {file.format === 'ktx2' && (
                  <>
                    <Small
                      label={labels.texelsOf(file.suffix)}
                      value={file.basis ?? ''}
                      set={(basis) => setFile(index, { basis: (basis || null) as File['basis'] })}
                    >
                      <MenuItem value="">{labels.asTheyAre}</MenuItem>
                      <MenuItem value="etc1s">{labels.etc1sSmall}</MenuItem>
                      <MenuItem value="uastc">{labels.uastcClose}</MenuItem>
                    </Small>
                    {file.basis && (
                      <Small
                        label={labels.qualityOf(file.suffix)}
                        value={file.quality ?? 'medium'}
                        set={(quality) => setFile(index, { quality: quality as File['quality'] })}
                      >
                        <MenuItem value="low">{labels.low}</MenuItem>
                        <MenuItem value="medium">{labels.medium}</MenuItem>
                        <MenuItem value="high">{labels.high}</MenuItem>
                      </Small>
                    )}
                  </>
                )}
              </td>
              <td>
                <Small
                  label={labels.bitsOf(file.suffix)}
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
                  slotProps={{ input: { 'aria-label': labels.ditherOf(file.suffix) } }}
                  onChange={(event) => setFile(index, { dither: event.target.checked })}
                />
              </td>
              <td>
                <button
                  className="link"
                  aria-label={labels.removeOf(file.suffix)}
                  disabled={files.length === 1}
                  onClick={() => change(files.filter((_, at) => at !== index))}
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
          change([
            ...files,
            {
              suffix: labels.map(files.length + 1),
              channels: { r: 'metallic' },
              encoding: 'linear',
              format: 'png',
              bits: 8,
              dither: false,
              quality: 'medium',
            },
          ])
        }
      >
        {labels.anotherFile}
      </Button>
    </>
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
