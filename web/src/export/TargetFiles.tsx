import { styled } from '@mui/material/styles'
import { inWords } from '../words'
import { Button, Checkbox, MenuItem, TextField } from '@mui/material'
import type { ReactNode } from 'react'

import { CARRIES } from '../api/tables'
import type { Profile } from '../api/types'
import { labels } from '../words/export'

const TargetFilesBox = styled('table')({
  '& td': {
    padding: '2px 4px',
  },
})

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
      <TargetFilesBox className="grid">
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
            <FileRow
              key={index}
              file={file}
              number={index + 1}
              change={(part) => setFile(index, part)}
              remove={
                files.length > 1 ? () => change(files.filter((_, at) => at !== index)) : undefined
              }
            />
          ))}
        </tbody>
      </TargetFilesBox>
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

interface RowProps {
  file: File
  number: number
  change: (part: Partial<File>) => void
  /** None for the only file of a target. */
  remove: (() => void) | undefined
}

function FileRow({ file, number, change, remove }: RowProps) {
  return (
    <tr>
      <td>
        <TextField
          variant="standard"
          value={file.suffix}
          onChange={(event) => change({ suffix: event.target.value })}
          slotProps={{ htmlInput: { 'aria-label': labels.suffixOfFile(number) } }}
          sx={{ width: 84 }}
        />
      </td>
      {GROUPS.map((group) => (
        <td key={group}>
          <Small
            label={labels.of(group.toUpperCase(), file.suffix)}
            value={file.channels[group] ?? ''}
            set={(carry) => change({ channels: without(file.channels, group, carry) })}
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
          set={(encoding) => change({ encoding: encoding as File['encoding'] })}
        >
          <MenuItem value="srgb">{labels.srgb}</MenuItem>
          <MenuItem value="linear">{labels.linear}</MenuItem>
        </Small>
      </td>
      <td>
        <Format file={file} change={change} />
      </td>
      <td>
        <Small
          label={labels.bitsOf(file.suffix)}
          value={String(file.bits ?? 8)}
          set={(bits) => change({ bits: Number(bits) as File['bits'] })}
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
          onChange={(event) => change({ dither: event.target.checked })}
        />
      </td>
      <td>
        <button
          className="link"
          aria-label={labels.removeOf(file.suffix)}
          disabled={!remove}
          onClick={remove}
        >
          ×
        </button>
      </td>
    </tr>
  )
}

function Format({ file, change }: Pick<RowProps, 'file' | 'change'>) {
  return (
    <>
      <Small
        label={labels.formatOf(file.suffix)}
        value={file.format ?? 'png'}
        set={(format) => change({ format: format as File['format'], basis: null })}
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
            set={(basis) => change({ basis: (basis || null) as File['basis'] })}
          >
            <MenuItem value="">{labels.asTheyAre}</MenuItem>
            <MenuItem value="etc1s">{labels.etc1sSmall}</MenuItem>
            <MenuItem value="uastc">{labels.uastcClose}</MenuItem>
          </Small>
          {file.basis && (
            <Small
              label={labels.qualityOf(file.suffix)}
              value={file.quality ?? 'medium'}
              set={(quality) => change({ quality: quality as File['quality'] })}
            >
              <MenuItem value="low">{labels.low}</MenuItem>
              <MenuItem value="medium">{labels.medium}</MenuItem>
              <MenuItem value="high">{labels.high}</MenuItem>
            </Small>
          )}
        </>
      )}
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
