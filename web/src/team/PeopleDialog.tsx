import { styled } from '@mui/material/styles'
import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import { KEY_DAYS, LINK_DAYS } from '../api/tables'
import { Confirm } from '../components/Confirm'
import { copyText } from '../components/copyText'
import { ago } from '../words'
import type { Pending, People, RoleName } from './people'
import { ROLES, useMe, usePeople, usePeopleChanges } from './people'
import { labels } from '../words/team'

const IssuedBox = styled('section')({
  background: 'var(--accentWash)',
  padding: '8px 12px',
  '& code': {
    overflowWrap: 'anywhere',
    userSelect: 'all',
  },
})

const PeopleBox = styled(DialogContent)({
  display: 'grid',
  gap: 12,
  '& form.row': {
    marginTop: 8,
  },
})

interface Issued {
  what: string
  /** Shown once. */
  secret: string
}

/** Who may do what here; for owners also invitations, links to look, and keys of programs. */
export function PeopleDialog({ close }: { close: () => void }) {
  const me = useMe()
  const asked = usePeople()
  const changes = usePeopleChanges()
  const [issued, setIssued] = useState<Issued | null>(null)
  const [leaving, setLeaving] = useState<string | null>(null)
  const people = asked.data
  const owns = me?.team === true && people?.role === 'own'
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth>
      <DialogTitle>{labels.people}</DialogTitle>
      <PeopleBox>
        {me && !me.team && <p>{labels.nobodyLogsInHereWhoeverReaches}</p>}
        {issued && (
          <IssuedBox className="issued" role="status">
            <b>{issued.what}</b> {labels.itIsShownOnlyNow}
            <div className="row">
              <code className="mono grow">{issued.secret}</code>
              <Button onClick={() => void copyText(issued.secret)}>{labels.copy}</Button>
            </div>
          </IssuedBox>
        )}
        {leaving !== null && people && (
          <Leaving
            name={leaving}
            people={people}
            close={() => setLeaving(null)}
            done={() => changes.setRole.mutate({ person: leaving, role: 'none' })}
          />
        )}
        {people && people.people.length > 0 && (
          <Members people={people.people} owns={owns} leave={setLeaving} />
        )}
        {owns && <Owning people={people} show={setIssued} />}
      </PeopleBox>
      <DialogActions>
        <Button onClick={close}>{labels.close}</Button>
      </DialogActions>
    </Dialog>
  )
}

interface MembersProps {
  people: People['people']
  owns: boolean
  leave: (name: string) => void
}

function Members({ people, owns, leave }: MembersProps) {
  const { setRole } = usePeopleChanges()
  return (
    <table className="grid" aria-label={labels.members}>
      <thead>
        <tr>
          <th>{labels.name}</th>
          <th>{labels.role}</th>
          <th>{labels.lastActive}</th>
          <th>
            <span className="sr">{labels.remove}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {people.map((person) => (
          <tr key={person.id}>
            <td>{person.name}</td>
            <td>
              {owns ? (
                <RoleSelect
                  label={labels.roleOf(person.name)}
                  role={person.role}
                  choose={(role) => setRole.mutate({ person: person.name, role })}
                />
              ) : (
                ROLES.find(([role]) => role === person.role)?.[1]
              )}
            </td>
            <td className="small">{person.seen ? ago(person.seen) : labels.notYet}</td>
            <Box component="td" sx={{ textAlign: 'right' }}>
              {owns && (
                <Button variant="text" onClick={() => leave(person.name)}>
                  {labels.remove}
                  <span className="sr"> {person.name}</span>
                </Button>
              )}
            </Box>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** What owners do: add and invite people, hand out links to look and keys for programs. */
function Owning({ people, show: shown }: { people: People; show: (issued: Issued) => void }) {
  const changes = usePeopleChanges()
  const show = (what: string) => (row: { secret: string }) =>
    shown({
      what,
      secret: row.secret.startsWith('/') ? `${location.origin}${row.secret}` : row.secret,
    })
  return (
    <>
      <AddPerson
        add={(person, role) => changes.setRole.mutate({ person, role })}
        invite={(email, role) =>
          changes.invite.mutate(
            { email, role },
            { onSuccess: show(labels.sendThisInvitationToOnePerson) },
          )
        }
      />
      <PendingList
        title={labels.invitations}
        rows={people.invitations ?? []}
        end={(row) => changes.end.mutate({ kind: 'invitation', row })}
      />
      <Issue
        title={labels.viewOnlyLinks}
        about={labels.whoeverHasTheLinkMayLook}
        label={labels.forWhom}
        make={labels.makeALink}
        rows={people.links ?? []}
        end={(row) => changes.end.mutate({ kind: 'link', row })}
        issue={(label) =>
          changes.share.mutate(
            { label, days: LINK_DAYS },
            { onSuccess: show(labels.anybodyWithThisLinkMayLook(LINK_DAYS)) },
          )
        }
      />
      <Issue
        title={labels.apiKeys}
        about={labels.aBuildMachineChecksExportsAnd}
        label={labels.forWhichProgram}
        make={labels.makeAKey}
        rows={people.keys ?? []}
        end={(row) => changes.end.mutate({ kind: 'key', row })}
        issue={(label) =>
          changes.newKey.mutate(
            { label: label || 'key', scope: 'work', days: KEY_DAYS },
            { onSuccess: show(labels.theKeyForDays(KEY_DAYS)) },
          )
        }
      />
    </>
  )
}

/** Asks before somebody is taken out, and lists what they have issued, which ends with it. */
function Leaving({
  name,
  people,
  close,
  done,
}: {
  name: string
  people: People
  close: () => void
  done: () => void
}) {
  const issued: [string, Pending[] | undefined][] = [
    [labels.theInvitationOf, people.invitations],
    [labels.theViewOnlyLink, people.links],
    [labels.theApiKey, people.keys],
  ]
  const ends = issued.flatMap(([what, rows]) =>
    (rows ?? []).filter((row) => row.made_by === name).map((row) => `${what} ${row.label}`.trim()),
  )
  return (
    <Confirm title={labels.removeOf(name)} action={labels.remove} close={close} done={done}>
      {ends.length === 0 ? (
        <p>{labels.hasIssuedNothingThatIsStill(name)}</p>
      ) : (
        <>
          <p>{labels.withItEndsWhatHasIssued(name)}</p>
          <ul>
            {ends.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
    </Confirm>
  )
}

function RoleSelect({
  label,
  role,
  choose,
}: {
  label: string
  role: RoleName
  choose: (role: RoleName) => void
}) {
  return (
    <TextField
      select
      size="small"
      value={role}
      sx={{ width: 140 }}
      slotProps={{ htmlInput: { 'aria-label': label } }}
      onChange={(event) => choose(event.target.value as RoleName)}
    >
      {ROLES.map(([key, words]) => (
        <MenuItem key={key} value={key}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  )
}

function AddPerson({
  add,
  invite,
}: {
  add: (person: string, role: RoleName) => void
  invite: (email: string, role: RoleName) => void
}) {
  const [person, setPerson] = useState('')
  const [role, setRole] = useState<RoleName>('work')
  return (
    <form
      className="row"
      onSubmit={(event) => {
        event.preventDefault()
        if (person.trim()) add(person.trim(), role)
      }}
    >
      <TextField
        size="small"
        className="grow"
        label={labels.nameOrMailAddressOfAn}
        value={person}
        onChange={(event) => setPerson(event.target.value)}
      />
      <RoleSelect label={labels.roleOfNewMembers} role={role} choose={setRole} />
      <Button type="submit" disabled={!person.trim()}>
        {labels.add}
      </Button>
      <Button onClick={() => invite(person.includes('@') ? person.trim() : '', role)}>
        {labels.inviteByLink}
      </Button>
    </form>
  )
}

function PendingList({
  title,
  rows,
  end,
}: {
  title: string
  rows: Pending[]
  end: (row: number) => void
}) {
  if (rows.length === 0) return null
  return (
    <table className="grid" aria-label={title}>
      <tbody>
        {rows.map((row) => (
          <tr key={row.id}>
            <td>{row.label || labels.forAnybody}</td>
            <td className="small">{ROLES.find(([role]) => role === row.role)?.[1]}</td>
            <td className="small">
              {labels.by} {row.made_by}
              {labels.ends} {new Date(row.ends).toLocaleDateString('en-GB')}
              {row.used && labels.used(ago(row.used))}
            </td>
            <Box component="td" sx={{ textAlign: 'right' }}>
              <Button variant="text" onClick={() => end(row.id)}>
                {labels.revoke}
                <span className="sr"> {row.label}</span>
              </Button>
            </Box>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function Issue({
  title,
  about,
  label,
  make,
  rows,
  end,
  issue,
}: {
  title: string
  about: string
  label: string
  make: string
  rows: Pending[]
  end: (row: number) => void
  issue: (label: string) => void
}) {
  const [name, setName] = useState('')
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <p className="small">{about}</p>
      <PendingList title={title} rows={rows} end={end} />
      <form
        className="row"
        onSubmit={(event) => {
          event.preventDefault()
          issue(name.trim())
          setName('')
        }}
      >
        <TextField
          size="small"
          className="grow"
          label={label}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button type="submit">{make}</Button>
      </form>
    </section>
  )
}
