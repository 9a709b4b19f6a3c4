import { useStatus } from '../api/notices'
import { labels } from '../words/shell'

/** The line at the foot: what the thing under the pointer is, and which keys work here. */
export function StatusLine() {
  const { text, keys } = useStatus()
  return (
    <footer className="status">
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
    </footer>
  )
}
