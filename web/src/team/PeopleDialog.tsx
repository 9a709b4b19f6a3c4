import {
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
import './people.css'

/** Who may do what here; for owners also invitations, links to look, and keys of programs. */
export function PeopleDialog({ close }: { close: () => void }) {
  const me = useMe()
  const asked = usePeople()
  const changes = usePeopleChanges()
  const [issued, setIssued] = useState<{ what: string; secret: string } | null>(null)
  const [leaving, setLeaving] = useState<string | null>(null)
  const people = asked.data
  const owns = me?.team === true && people?.role === 'own'
  const show = (what: string) => (row: { secret: string }) =>
    setIssued({
      what,
      secret: row.secret.startsWith('/') ? `${location.origin}${row.secret}` : row.secret,
    })
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth>
      <DialogTitle>People</DialogTitle>
      <DialogContent className="people">
        {me && !me.team && (
          <p>
            Nobody logs in here: whoever reaches this address may do everything. A studio sets
            EKTOPOS_TEAM=1; docs/deploy.md says how.
          </p>
        )}
        {issued && (
          <section className="issued" role="status">
            <b>{issued.what}</b> It is shown only now:
            <div className="row">
              <code className="mono grow">{issued.secret}</code>
              <Button onClick={() => void copyText(issued.secret)}>Copy</Button>
            </div>
          </section>
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
          <table className="grid" aria-label="Members">
            <thead>
              <tr>
                <th>Name</th>
                <th>Role</th>
                <th>Last active</th>
                <th>
                  <span className="sr">Remove</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {people.people.map((person) => (
                <tr key={person.id}>
                  <td>{person.name}</td>
                  <td>
                    {owns ? (
                      <RoleSelect
                        label={`Role of ${person.name}`}
                        role={person.role}
                        choose={(role) => changes.setRole.mutate({ person: person.name, role })}
                      />
                    ) : (
                      ROLES.find(([role]) => role === person.role)?.[1]
                    )}
                  </td>
                  <td className="small">{person.seen ? ago(person.seen) : 'not yet'}</td>
                  <td style={{ textAlign: 'right' }}>
                    {owns && (
                      <Button variant="text" onClick={() => setLeaving(person.name)}>
                        Remove<span className="sr"> {person.name}</span>
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {owns && (
          <>
            <AddPerson
              add={(person, role) => changes.setRole.mutate({ person, role })}
              invite={(email, role) =>
                changes.invite.mutate(
                  { email, role },
                  { onSuccess: show('Send this invitation to one person.') },
                )
              }
            />
            <PendingList
              title="Invitations"
              rows={people.invitations ?? []}
              end={(row) => changes.end.mutate({ kind: 'invitation', row })}
            />
            <Issue
              title="View-only links"
              about="Whoever has the link may look at the project until it ends, without an account."
              label="For whom"
              make="Make a link"
              rows={people.links ?? []}
              end={(row) => changes.end.mutate({ kind: 'link', row })}
              issue={(label) =>
                changes.share.mutate(
                  { label, days: LINK_DAYS },
                  { onSuccess: show(`Anybody with this link may look for ${LINK_DAYS} days.`) },
                )
              }
            />
            <Issue
              title="API keys"
              about="A build machine checks, exports and tries with a key, in your name, in this project only."
              label="For which program"
              make="Make a key"
              rows={people.keys ?? []}
              end={(row) => changes.end.mutate({ kind: 'key', row })}
              issue={(label) =>
                changes.newKey.mutate(
                  { label: label || 'key', scope: 'work', days: KEY_DAYS },
                  { onSuccess: show(`The key, for ${KEY_DAYS} days.`) },
                )
              }
            />
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
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
    ['the invitation of', people.invitations],
    ['the view-only link', people.links],
    ['the API key', people.keys],
  ]
  const ends = issued.flatMap(([what, rows]) =>
    (rows ?? []).filter((row) => row.made_by === name).map((row) => `${what} ${row.label}`.trim()),
  )
  return (
    <Confirm title={`Remove ${name}?`} action="Remove" close={close} done={done}>
      {ends.length === 0 ? (
        <p>{name} has issued nothing that is still open.</p>
      ) : (
        <>
          <p>With it ends what {name} has issued:</p>
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
        label="Name or mail address of an account"
        value={person}
        onChange={(event) => setPerson(event.target.value)}
      />
      <RoleSelect label="Role of new members" role={role} choose={setRole} />
      <Button type="submit" disabled={!person.trim()}>
        Add
      </Button>
      <Button onClick={() => invite(person.includes('@') ? person.trim() : '', role)}>
        Invite by link
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
            <td>{row.label || 'for anybody'}</td>
            <td className="small">{ROLES.find(([role]) => role === row.role)?.[1]}</td>
            <td className="small">
              by {row.made_by}, ends {new Date(row.ends).toLocaleDateString('en-GB')}
              {row.used && `, used ${ago(row.used)}`}
            </td>
            <td style={{ textAlign: 'right' }}>
              <Button variant="text" onClick={() => end(row.id)}>
                Revoke<span className="sr"> {row.label}</span>
              </Button>
            </td>
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
