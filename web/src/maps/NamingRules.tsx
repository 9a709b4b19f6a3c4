import { Box, Button, Popover } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useProject } from '../api/queries'
import { ROLE_WORDS, count } from '../words'
import { labels } from '../words/maps'

/** The project's naming rules, where there are any: what is said of all maps whose names end alike. */
export function NamingRules() {
  const rules = useProject().data?.document.naming ?? []
  const edit = useEdit()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  if (rules.length === 0) return null
  return (
    <>
      <Button
        variant="text"
        aria-haspopup="dialog"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {count(rules.length, labels.namingRule)}
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': labels.namingRules } as never }}
      >
        <Box sx={{ padding: 1.5, width: 380, display: 'grid', gap: 1 }}>
          <h2>{labels.namesThatEndIn}</h2>
          {rules.map((rule) => (
            <div key={rule.ending} className="row">
              <span className="chip">{rule.ending}</span>
              <span className="grow">
                {Object.values(rule.roles)
                  .map((role) => ROLE_WORDS[role].toLowerCase())
                  .join(' · ')}
                {rule.normal_y === '-' && labels.greenDown}
              </span>
              <Button
                onClick={() => void edit({ kind: 'remove-naming-rule', ending: rule.ending })}
              >
                {labels.removeTitle}
              </Button>
            </div>
          ))}
        </Box>
      </Popover>
    </>
  )
}
