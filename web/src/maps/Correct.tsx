import { Picture } from '../components/Picture'
import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
} from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import type { BoardMap, Edit, Role } from '../api/types'
import { ROLES, ROLE_WORDS } from '../words'
import { PACKINGS, encodingOf, groupOf } from './correction'
import { labels } from '../words/maps'

type Roles = BoardMap['roles']

const LETTERS: Record<number, string[]> = { 1: ['r'], 2: ['r', 'a'], 4: ['r', 'g', 'b', 'a'] }

/** What is stated of a map before anything is changed; a role for each channel where it is packed. */
function startOf(map: BoardMap, startsPacked: boolean) {
  const letters = LETTERS[map.channels] ?? ['r', 'g', 'b']
  const usual = startsPacked ? (PACKINGS[0] ?? []) : []
  const groups = Object.keys(map.roles)
  const packed =
    startsPacked || groups.length > 2 || groups.some((group) => group === 'g' || group === 'b')
  const each: Record<string, Role> = Object.fromEntries(
    letters.map((letter, index) => [letter, usual[index] ?? map.roles[letter] ?? 'unknown']),
  )
  const whole = map.roles.rgb ?? map.roles.rgba ?? map.roles.r ?? 'unknown'
  return { letters, packed, each, role: packed ? ('unknown' as const) : whole }
}

/** What is being said of a map: changed here, and made an edit when it is set. */
function useCorrection(map: BoardMap, startsPacked: boolean) {
  const start = startOf(map, startsPacked)
  const { letters } = start
  const [packed, setPacked] = useState(start.packed)
  const [role, setRole] = useState<Role>(start.role)
  const [alpha, setAlpha] = useState<Role>(map.roles.a ?? 'unknown')
  const [each, setEach] = useState(start.each)
  const [encoding, setEncoding] = useState(
    startsPacked ? 'linear' : (map.encoding as 'srgb' | 'linear'),
  )
  const [normalY, setNormalY] = useState((map.normal_y ?? '+') as '+' | '-')
  const [profile, setProfile] = useState(map.profile_use)
  const [set, setSet] = useState(map.set)
  const chooseRole = (next: Role) => {
    setRole(next)
    setEncoding(encodingOf({ rgb: next }, map.is_float))
  }
  const chooseEach = (next: Record<string, Role>) => {
    setEach(next)
    setEncoding(encodingOf(known(next), map.is_float))
  }
  const choosePacked = (next: boolean) => {
    setPacked(next)
    if (next) chooseEach(each)
    else chooseRole(role)
  }
  const stated = (): Edit => {
    const roles = known(packed ? each : { [groupOf(map)]: role, a: alpha })
    return {
      kind: 'set-map',
      maps: [map.name],
      roles,
      encoding,
      normal_y: Object.values(roles).includes('normal') ? normalY : null,
      ...(profile === map.profile_use ? {} : { profile }),
      set: set.trim() || map.set,
    }
  }
  return {
    ...{ letters, packed, choosePacked, role, chooseRole, alpha, setAlpha, each, chooseEach },
    ...{ encoding, setEncoding, normalY, setNormalY, profile, setProfile, set, setSet, stated },
  }
}

type Correction = ReturnType<typeof useCorrection>

const known = (roles: Record<string, Role>): Roles =>
  Object.fromEntries(Object.entries(roles).filter(([, role]) => role !== 'unknown'))

interface Props {
  map: BoardMap
  /** Whether it opens with a role for each channel, the usual packing filled in. */
  startsPacked?: boolean
  close: () => void
}

/** Say what a map is: one role or one a channel, its encoding, the way green points, its set. */
export function Correct({ map, startsPacked = false, close }: Props) {
  const edit = useEdit()
  const correction = useCorrection(map, startsPacked)
  const { letters, packed, choosePacked, role, normalY, setNormalY, set, setSet } = correction
  const done = () => {
    void edit(correction.stated())
    close()
  }
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <DialogTitle>{labels.whatIs(map.name)}</DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 2 }}>
        {letters.length > 1 && (
          <ToggleButtonGroup
            exclusive
            size="small"
            color="primary"
            value={packed ? 'packed' : 'whole'}
            onChange={(_, next) => next && choosePacked(next === 'packed')}
            aria-label={labels.howItIsUsed}
          >
            <ToggleButton value="whole">{labels.singleMap}</ToggleButton>
            <ToggleButton value="packed">{labels.packedChannels}</ToggleButton>
          </ToggleButtonGroup>
        )}
        {packed ? <Channels map={map} {...correction} /> : <Whole {...correction} />}
        <Encoding map={map} {...correction} />
        {!packed && role === 'normal' && (
          <TextField
            select
            label={labels.greenPoints}
            value={normalY}
            onChange={(event) => setNormalY(event.target.value as '+' | '-')}
          >
            <MenuItem value="+">{labels.upY}</MenuItem>
            <MenuItem value="-">{labels.downY}</MenuItem>
          </TextField>
        )}
        <TextField
          label={labels.mapSet}
          value={set}
          onChange={(event) => setSet(event.target.value)}
          helperText={labels.mapsOfOneSurfaceShareA}
        />
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" onClick={done}>
          {labels.set}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

function Channels({ map, letters, each, chooseEach }: Correction & { map: BoardMap }) {
  return (
    <>
      {letters.length > 2 && <Packings letters={letters} each={each} chooseEach={chooseEach} />}
      {letters.map((letter) => (
        <div key={letter} className="row">
          <Picture
            className="thumb"
            src={`/api/map-pictures/${map.sha256}/${letter}/128.png`}
            width={44}
            height={44}
            alt={labels.channel(letter.toUpperCase())}
          />
          <RoleSelect
            label={labels.holds(letter.toUpperCase())}
            value={each[letter] ?? 'unknown'}
            choose={(next) => chooseEach({ ...each, [letter]: next })}
          />
        </div>
      ))}
    </>
  )
}

/** The usual packings, each as it fills the channels. */
function Packings({
  letters,
  each,
  chooseEach,
}: Pick<Correction, 'letters' | 'each' | 'chooseEach'>) {
  return (
    <TextField
      select
      label={labels.packingPresets}
      value={PACKINGS.findIndex((packing) => fits(packing, each, letters))}
      onChange={(event) => {
        const packing = PACKINGS[Number(event.target.value)]
        if (packing)
          chooseEach(
            Object.fromEntries(
              letters.map((letter, index) => [letter, packing[index] ?? 'unknown']),
            ),
          )
      }}
    >
      <MenuItem value={-1} disabled>
        {labels.another}
      </MenuItem>
      {PACKINGS.filter((packing) => packing.length <= letters.length).map((packing) => (
        <MenuItem key={packing.join()} value={PACKINGS.indexOf(packing)}>
          {packing
            .map((role, index) => `${'RGBA'[index]} ${ROLE_WORDS[role].toLowerCase()}`)
            .join(' · ')}
        </MenuItem>
      ))}
    </TextField>
  )
}

function Whole({ letters, role, chooseRole, alpha, setAlpha }: Correction) {
  return (
    <>
      <RoleSelect label={labels.itHolds} value={role} choose={chooseRole} />
      {letters.includes('a') && (
        <RoleSelect label={labels.itsAlphaHolds} value={alpha} choose={setAlpha} />
      )}
    </>
  )
}

function Encoding({
  map,
  encoding,
  setEncoding,
  profile,
  setProfile,
}: Correction & { map: BoardMap }) {
  return (
    <>
      <TextField
        select
        label={labels.encoding}
        value={encoding}
        onChange={(event) => setEncoding(event.target.value as 'srgb' | 'linear')}
        disabled={map.is_float}
        helperText={
          map.is_float ? labels.floatFilesAreAlwaysLinear : labels.srgbForColourLinearForEvery
        }
      >
        <MenuItem value="srgb">{labels.srgb}</MenuItem>
        <MenuItem value="linear">{labels.linear}</MenuItem>
      </TextField>
      {map.profile && encoding === 'srgb' && (
        <TextField
          select
          label={labels.itsColourProfile}
          value={profile}
          onChange={(event) => setProfile(event.target.value as typeof profile)}
          helperText={labels.theFileSaysAnEngineReads(map.profile)}
        >
          <MenuItem value="apply">{labels.convertToSrgb}</MenuItem>
          <MenuItem value="ignore">{labels.takeItsCodesAsSrgb}</MenuItem>
        </TextField>
      )}
    </>
  )
}

/** Whether the channels hold just what a usual packing says. */
const fits = (packing: readonly Role[], each: Record<string, Role>, letters: string[]) =>
  letters.every((letter, index) => (each[letter] ?? 'unknown') === (packing[index] ?? 'unknown'))

function RoleSelect({
  label,
  value,
  choose,
}: {
  label: string
  value: Role
  choose: (role: Role) => void
}) {
  return (
    <TextField
      select
      fullWidth
      label={label}
      value={value}
      onChange={(event) => choose(event.target.value as Role)}
    >
      {ROLES.map((role) => (
        <MenuItem key={role} value={role}>
          {ROLE_WORDS[role]}
        </MenuItem>
      ))}
    </TextField>
  )
}
