import { styled } from '@mui/material/styles'
import { useStatus } from '../api/notices'
import { labels } from '../words/shell'

const Status = styled('footer')({
  display: 'flex',
  alignItems: 'center',
  gap: 16,
  padding: '0 14px',
  borderTop: '1px solid var(--line)',
  background: 'var(--surface)',
  fontSize: 11.5,
  color: 'var(--ink2)',
  overflow: 'hidden',
  whiteSpace: 'nowrap',
  '& .keys': {
    display: 'flex',
    gap: 10,
    marginLeft: 'auto',
  },
})

/** The line at the foot: what the thing under the pointer is, and which keys work here. */
export function StatusLine() {
  const { text, keys } = useStatus()
  return (
    <Status>
      <span className="ellipsis">{text || labels.dropMapsMeshesOrAFolder}</span>
      <span className="keys">
        {keys.map(([key, words]) => (
          <span key={key}>
            <kbd className="key">
              {key.length === 1 ? key.toUpperCase() : key.replace('Arrow', '')}
            </kbd>{' '}
            {words}
          </span>
        ))}
      </span>
    </Status>
  )
}
