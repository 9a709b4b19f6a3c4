import { Link } from 'react-router'
import { labels } from '../words/components'

/** The mark: a dome on its line, with a slit towards the sky. */
export function Mark() {
  return (
    <Link to="/" className="mark" aria-label={labels.ektoposAllProjects}>
      <svg
        width="20"
        height="20"
        viewBox="0 0 24 24"
        fill="none"
        stroke="var(--accent)"
        strokeWidth="2"
        strokeLinecap="round"
        aria-hidden
      >
        <path d="M2 19.5h20" />
        <path d="M6 17a6 6 0 0 1 12 0" />
        <path d="M12 11V5h5" />
      </svg>
      <span>{labels.ektopos}</span>
    </Link>
  )
}
