import { MapThumb } from '../components/MapThumb'
import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useSimilarMesh, useMeshes, useProject, useProposals } from '../api/queries'
import type { Edit } from '../api/types'
import { nameOfSet } from '../words'
import { labels } from '../words/meshes'

/** What every bare slot could wear, to be accepted one by one; nothing is done that is not ticked. */
export function SuggestAll({ close }: { close: () => void }) {
  const query = useProposals()
  const edit = useEdit()
  const materials = useProject().data?.document.materials ?? {}
  const [changed, setChanged] = useState<Record<string, boolean>>({})
  const proposals = query.data ?? []
  const keyOf = (entry: { mesh: string; slot: string }) => `${entry.mesh} ${entry.slot}`
  const ticked = proposals.filter((entry) => changed[keyOf(entry)] ?? entry.sure)
  const accept = () => {
    const nameOf = (entry: { set: string; tile: number | null }) => {
      const name = nameOfSet(entry.set, entry.tile)
      return name in materials ? labels.new(name) : name
    }
    const without = ticked.filter((entry) => !entry.material)
    const fresh = [...new Map(without.map((entry) => [nameOf(entry), entry]))]
    const edits: Edit[] = [
      ...fresh.map(([name, { set, tile }]): Edit => ({
        kind: 'material-from-set',
        set,
        name,
        tile,
      })),
      ...ticked.map((entry): Edit => ({
        kind: 'assign',
        mesh: entry.mesh,
        slots: [entry.slot],
        material: entry.material ?? nameOf(entry),
      })),
    ]
    void edit(...edits)
    close()
  }
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth>
      <DialogTitle>{labels.suggestMaterialsForAllSlots}</DialogTitle>
      <DialogContent>
        {query.isError && <p className="brick">! {query.error.message}</p>}
        {!query.data && !query.isError && (
          <p className="quiet">{labels.comparingEveryLayoutWithEveryMap}</p>
        )}
        {query.data && proposals.length === 0 && <p>{labels.everySlotAlreadyHasAMaterial}</p>}
        {proposals.length > 0 && (
          <table className="grid">
            <thead>
              <tr>
                <th>
                  <span className="sr">{labels.accept}</span>
                </th>
                <th>{labels.slot}</th>
                <th>{labels.material}</th>
                <th>{labels.score}</th>
                <th>{labels.why}</th>
              </tr>
            </thead>
            <tbody>
              {proposals.map((entry) => (
                <tr key={keyOf(entry)}>
                  <td>
                    <Checkbox
                      checked={changed[keyOf(entry)] ?? entry.sure}
                      onChange={(event) =>
                        setChanged({ ...changed, [keyOf(entry)]: event.target.checked })
                      }
                      slotProps={{
                        input: { 'aria-label': labels.acceptFor(entry.set, entry.slot) },
                      }}
                    />
                  </td>
                  <td>
                    <b>{entry.slot}</b>
                    <div className="small">{entry.mesh}</div>
                  </td>
                  <td>
                    <div className="row">
                      {entry.picture && <MapThumb sha256={entry.picture} side={32} />}
                      {entry.material ?? (
                        <span>
                          {nameOfSet(entry.set, entry.tile)}{' '}
                          <span className="small">{labels.newMaterial}</span>
                        </span>
                      )}
                    </div>
                  </td>
                  <td>
                    <span className={`chip ${entry.sure ? 'own' : 'amber'}`}>
                      {entry.sure ? '' : '? '}
                      {entry.score.toFixed(2)}
                    </span>
                  </td>
                  <td className="small">{entry.reasons.join(' · ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {proposals.some((entry) => !entry.sure) && (
          <Box component="p" className="small" sx={{ marginTop: 1 }}>
            {labels.whereAnotherSetFitsNearlyAs}
          </Box>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={ticked.length === 0} onClick={accept}>
          {labels.acceptOf(ticked.length)}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

/** Wear what another mesh wears, slot for slot, matched by name and by layout. */
export function CopyAssignments({ mesh, close }: { mesh: string; close: () => void }) {
  const others = (useMeshes().data ?? []).filter((entry) => entry.name !== mesh)
  const [other, setOther] = useState(others[0]?.name ?? '')
  const query = useSimilarMesh(mesh, other || null)
  const edit = useEdit()
  const all = query.data ?? []
  const worn = useMeshes().data?.find((entry) => entry.name === mesh)?.assigned ?? {}
  const [changed, setChanged] = useState<Record<string, boolean>>({})
  // What wears something already keeps it until somebody says otherwise.
  const isTicked = (pair: { slot: string }) => changed[pair.slot] ?? !worn[pair.slot]
  const offered = all.filter((pair) => pair.material && pair.material !== worn[pair.slot])
  const open = all.filter((pair) => pair.other === null)
  const pairs = offered.filter(isTicked)
  const accept = () => {
    void edit(
      ...pairs.map((pair): Edit => ({
        kind: 'assign',
        mesh,
        slots: [pair.slot],
        material: pair.material ?? null,
      })),
    )
    close()
  }
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <DialogTitle>{labels.sameMaterialsAsAnotherMesh}</DialogTitle>
      <DialogContent>
        <TextField
          select
          fullWidth
          margin="dense"
          label={labels.as}
          value={other}
          onChange={(event) => {
            setOther(event.target.value)
            setChanged({})
          }}
        >
          {others.map((entry) => (
            <MenuItem key={entry.name} value={entry.name}>
              {entry.name}
            </MenuItem>
          ))}
        </TextField>
        {query.data && offered.length === 0 && (
          <p className="quiet">{labels.noneOfItsSlotsMatchesOne}</p>
        )}
        <ul className="evidence">
          {offered.map((pair) => (
            <li key={pair.slot}>
              <Checkbox
                sx={{ p: 0 }}
                checked={isTicked(pair)}
                onChange={(event) => setChanged({ ...changed, [pair.slot]: event.target.checked })}
                slotProps={{
                  input: { 'aria-label': labels.assignTo(pair.material, pair.slot) },
                }}
              />
              <span>
                <b>{pair.slot}</b> {labels.gets} {pair.material}
                {labels.asTitle} {pair.other} {labels.has} {pair.why}
                {worn[pair.slot] && (
                  <span className="small">
                    {' '}
                    {labels.insteadOf} {worn[pair.slot]}
                  </span>
                )}
              </span>
            </li>
          ))}
          {open.map((pair) => (
            <li key={pair.slot}>
              <span className="amber">?</span>
              <span>
                <b>{pair.slot}</b>: {pair.why}
                {labels.soItIsLeftOpen}
              </span>
            </li>
          ))}
        </ul>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={pairs.length === 0} onClick={accept}>
          {labels.assign(pairs.length)}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
