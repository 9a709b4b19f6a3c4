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
import type { BoardMap, Role } from '../api/types'
import { ROLES, ROLE_WORDS } from '../words'
import { PACKINGS, encodingOf, groupOf } from './correction'
import { labels } from '../words/maps'

type Roles = BoardMap['roles']

/** Say what a map is: one role or one a channel, its encoding, the way green points, its set. */
export function Correct({
  map,
  startsPacked = false,
  close,
}: {
  map: BoardMap
  /** Whether it opens with a role for each channel, the usual packing filled in. */
  startsPacked?: boolean
  close: () => void
}) {
  const edit = useEdit()
  const letters = { 1: ['r'], 2: ['r', 'a'], 3: ['r', 'g', 'b'], 4: ['r', 'g', 'b', 'a'] }[
    map.channels
  ] ?? ['r', 'g', 'b']
  const usual = startsPacked ? (PACKINGS[0] ?? []) : []
  const startPacked =
    startsPacked ||
    Object.keys(map.roles).some((group) => group === 'g' || group === 'b') ||
    Object.keys(map.roles).length > 2
  const [packed, setPacked] = useState(startPacked)
  const whole = map.roles.rgb ?? map.roles.rgba ?? map.roles.r ?? 'unknown'
  const [role, setRole] = useState<Role>(startPacked ? 'unknown' : whole)
  const [alpha, setAlpha] = useState<Role | ''>(map.roles.a ?? '')
  const [each, setEach] = useState<Record<string, Role>>(
    Object.fromEntries(
      letters.map((letter, index) => [letter, usual[index] ?? map.roles[letter] ?? 'unknown']),
    ),
  )
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
    const held = Object.entries(next).filter(([, role]) => role !== 'unknown')
    setEncoding(encodingOf(Object.fromEntries(held), map.is_float))
  }
  const choosePacked = (next: boolean) => {
    setPacked(next)
    if (next) chooseEach(each)
    else chooseRole(role)
  }
  const done = () => {
    const roles: Roles = packed
      ? Object.fromEntries(Object.entries(each).filter(([, held]) => held !== 'unknown'))
      : { ...(role === 'unknown' ? {} : { [groupOf(map)]: role }), ...(alpha ? { a: alpha } : {}) }
    const isNormal = Object.values(roles).includes('normal')
    void edit({
      kind: 'set-map',
      maps: [map.name],
      roles,
      encoding,
      normal_y: isNormal ? normalY : null,
      ...(profile === map.profile_use ? {} : { profile }),
      set: set.trim() || map.set,
    })
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
        {packed && letters.length > 2 && (
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
        )}
        {packed ? (
          letters.map((letter) => (
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
          ))
        ) : (
          <>
            <RoleSelect label={labels.itHolds} value={role} choose={chooseRole} />
            {letters.includes('a') && (
              <RoleSelect
                label={labels.itsAlphaHolds}
                value={alpha || 'unknown'}
                choose={(next) => setAlpha(next === 'unknown' ? '' : next)}
              />
            )}
          </>
        )}
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
