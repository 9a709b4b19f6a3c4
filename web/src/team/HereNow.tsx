import { Tooltip } from '@mui/material'
import { Link } from 'react-router'

import { useHere, useProjectId } from '../api/queries'

const STATIONS: Record<string, string> = {
  maps: 'Maps',
  materials: 'Materials',
  meshes: 'Meshes',
  scene: 'Scene',
  checks: 'Checks',
  export: 'Export',
}

/** Who else is in the project now; each leads to where they are. */
export function HereNow() {
  const id = useProjectId()
  const here = useHere()
  if (here.length === 0) return null
  return (
    <span className="here-now" role="group" aria-label="Here now">
      {' · with '}
      {here.map(({ name, where }) => {
        const [station = '', thing] = where.split('/')
        const words = [STATIONS[station], thing && decodeURIComponent(thing)].filter(Boolean)
        return (
          <Tooltip key={name} title={`${name}: ${words.join(' · ') || 'here'}`}>
            <Link to={`/projects/${id}/${where || 'maps'}`}>{name}</Link>
          </Tooltip>
        )
      })}
    </span>
  )
}
