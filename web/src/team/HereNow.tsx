import { styled } from '@mui/material/styles'
import { Tooltip } from '@mui/material'
import { Link } from 'react-router'

import { useHere, useProjectId } from '../api/queries'
import { labels } from '../words/team'

const HereNowBox = styled('span')({
  '& a + a::before': {
    content: "', '",
    color: 'var(--ink2)',
  },
})

const STATIONS: Record<string, string> = {
  maps: labels.maps,
  materials: labels.materials,
  meshes: labels.meshes,
  scene: labels.scene,
  checks: labels.checks,
  export: labels.export,
}

/** Who else is in the project now; each leads to where they are. */
export function HereNow() {
  const id = useProjectId()
  const here = useHere()
  if (here.length === 0) return null
  return (
    <HereNowBox role="group" aria-label={labels.hereNow}>
      {labels.withWord}
      {here.map(({ name, where }) => {
        const [station = '', thing] = where.split('/')
        const words = [STATIONS[station], thing && decodeURIComponent(thing)].filter(Boolean)
        return (
          <Tooltip key={name} title={`${name}: ${words.join(' · ') || 'here'}`}>
            <Link to={`/projects/${id}/${where || 'maps'}`}>{name}</Link>
          </Tooltip>
        )
      })}
    </HereNowBox>
  )
}
