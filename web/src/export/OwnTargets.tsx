import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useRef, useState } from 'react'

import { useEdit } from '../api/changes'
import { useNotices } from '../api/notices'
import { useTargets } from '../api/queries'
import type { Profile, Project } from '../api/types'
import { EditTarget } from './EditTarget'
import type { Draft } from './EditTarget'
import { labels } from '../words/export'

/** Targets of the project's own: copied from any, changed, with what they would give while one types; taken in and given out as JSON. */
export function OwnTargets({ project, close }: { project: Project; close: () => void }) {
  const targets = useTargets().data ?? []
  const own = Object.keys(project.document.targets ?? {})
  const edit = useEdit()
  const say = useNotices((state) => state.say)
  const [draft, setDraft] = useState<Draft | null>(null)
  const input = useRef<HTMLInputElement>(null)
  const copy = (profile: Profile) => {
    let id = `${profile.id}-own`
    while (targets.some((entry) => entry.id === id)) id += '-2'
    setDraft({ profile: { ...profile, id, title: labels.changed(profile.title) }, replaces: null })
  }
  const take = async (file: globalThis.File) => {
    try {
      setDraft({ profile: JSON.parse(await file.text()) as Profile, replaces: null })
    } catch {
      say(new Error(labels.thisIsNotJsonChooseA(file.name)))
    }
  }
  if (draft) return <EditTarget draft={draft} close={() => setDraft(null)} />
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <DialogTitle>{labels.targets}</DialogTitle>
      <DialogContent>
        <table className="grid">
          <tbody>
            {targets.map((target) => (
              <tr key={target.id}>
                <td>
                  <b>{target.title}</b>
                  <div className="small mono">
                    {target.id}
                    {own.includes(target.id) ? labels.yourOwnTitle : labels.builtIn}
                  </div>
                </td>
                <Box component="td" sx={{ textAlign: 'right', whiteSpace: 'nowrap' }}>
                  {own.includes(target.id) && (
                    <Button
                      variant="text"
                      onClick={() => setDraft({ profile: target, replaces: target.id })}
                    >
                      {labels.change}
                    </Button>
                  )}
                  <Button
                    variant="text"
                    onClick={() => copy(target)}
                    aria-label={labels.copy(target.title)}
                  >
                    {labels.copyTitle}
                  </Button>
                  <Button
                    variant="text"
                    component="a"
                    href={`data:application/json,${encodeURIComponent(JSON.stringify(target, null, 2))}`}
                    download={`${target.id}.json`}
                  >
                    {labels.save}
                  </Button>
                  {own.includes(target.id) && (
                    <Button
                      variant="text"
                      onClick={() => void edit({ kind: 'remove-profile', target: target.id })}
                    >
                      {labels.remove}
                    </Button>
                  )}
                </Box>
              </tr>
            ))}
          </tbody>
        </table>
        <Box component="p" className="small" sx={{ marginTop: 1 }}>
          {labels.yourOwnTargetsTravelWithThe}
        </Box>
      </DialogContent>
      <DialogActions>
        <input
          ref={input}
          type="file"
          accept=".json"
          hidden
          aria-label={labels.targetFile}
          onChange={(event) => {
            const file = event.target.files?.[0]
            if (file) void take(file)
            event.target.value = ''
          }}
        />
        <Button onClick={() => input.current?.click()}>{labels.importAFile}</Button>
        <Button variant="contained" onClick={close}>
          {labels.done}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
