import { Button, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'

import { csrfToken } from '../api/client'
import { useMe } from './people'

/** Pages of the server itself, for administrators. */
const SERVER_PAGES = [
  ['/accounts', 'Accounts'],
  ['/folders', 'Folders'],
  ['/audit', 'Audit log'],
] as const

/** Who one is, and the way out; nothing where nobody logs in. */
export function Account() {
  const me = useMe()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  if (!me?.team) return null
  if (!me.name)
    return (
      <Button variant="text" href={`/in?next=${encodeURIComponent(location.pathname)}`}>
        Log in
      </Button>
    )
  return (
    <>
      <Button
        variant="text"
        aria-haspopup="menu"
        aria-label={`You are ${me.name}`}
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ maxWidth: 130 }}
      >
        <span className="ellipsis">{me.name}</span>&nbsp;▾
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem component="a" href="/account">
          Your account
        </MenuItem>
        <MenuItem component="a" href="/documentation">
          API
        </MenuItem>
        {me.admin &&
          SERVER_PAGES.map(([href, name]) => (
            <MenuItem key={href} component="a" href={href}>
              {name}
            </MenuItem>
          ))}
        <MenuItem
          onClick={() =>
            void fetch('/out', { method: 'POST', headers: { 'X-CSRFToken': csrfToken() } }).then(
              () => location.assign('/in'),
            )
          }
        >
          Log out
        </MenuItem>
      </Menu>
    </>
  )
}
