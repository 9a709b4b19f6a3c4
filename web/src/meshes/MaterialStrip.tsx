import { styled } from '@mui/material/styles'
import { Box } from '@mui/material'
import { Picture } from '../components/Picture'
import { useLooks, useProject } from '../api/queries'
import { naturally } from '../words'
import { labels } from '../words/meshes'

const Strip = styled('div')({
  display: 'flex',
  gap: 6,
  flex: 'none',
  padding: '6px 14px',
  borderTop: '1px solid var(--line)',
  overflowX: 'auto',
  '& span': {
    flex: 'none',
    cursor: 'grab',
  },
})

/** The kind of data that a dragged material is. */
export const MATERIAL = 'application/x-ektopos-material'

/** All materials in a row, to be dragged onto slots or onto the mesh. */
export function MaterialStrip() {
  const materials = Object.keys(useProject().data?.document.materials ?? {}).sort(naturally)
  const looks = useLooks().data ?? {}
  if (materials.length === 0) return null
  return (
    <Strip role="list" aria-label={labels.materialsToDragOntoSlots}>
      {materials.map((name) => {
        const key = looks[name]?.picture
        return (
          <span
            key={name}
            role="listitem"
            draggable
            title={labels.dragItOntoASlotOr(name)}
            onDragStart={(event) => event.dataTransfer.setData(MATERIAL, name)}
          >
            {key ? (
              <Picture
                className="thumb"
                src={`/api/material-pictures/${key}/grey-room/96.png`}
                width={32}
                height={32}
                alt={name}
                draggable={false}
                loading="lazy"
              />
            ) : (
              <Box component="span" className="thumb letters" sx={{ width: 32, height: 32 }}>
                {name.slice(0, 2)}
              </Box>
            )}
          </span>
        )
      })}
    </Strip>
  )
}
