import { Button, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'

import { csrfToken } from '../api/client'
import { useMe } from './people'
import { labels } from '../words/team'

/** Pages of the server itself, for administrators. */
const SERVER_PAGES = [
  ['/accounts', labels.accounts],
  ['/folders', labels.folders],
  ['/audit', labels.auditLog],
] as const

/** Who one is, and the way out; nothing where nobody logs in. */
export function Account() {
  const me = useMe()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  if (!me?.team) return null
  if (!me.name)
    return (
      <Button variant="text" href={`/in?next=${encodeURIComponent(location.pathname)}`}>
        {labels.logIn}
      </Button>
    )
  return (
    <>
      <Button
        variant="text"
        aria-haspopup="menu"
        aria-label={labels.youAre(me.name)}
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ maxWidth: 130 }}
      >
        <span className="ellipsis">{me.name}</span>&nbsp;▾
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem component="a" href="/account">
          {labels.yourAccount}
        </MenuItem>
        <MenuItem component="a" href="/documentation">
          {labels.api}
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
          {labels.logOut}
        </MenuItem>
      </Menu>
    </>
  )
}
