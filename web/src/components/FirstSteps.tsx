import { styled } from '@mui/material/styles'
import { SPECIMENS } from '../theme'
import { labels } from '../words/components'

const FirstStepsBox = styled('ol')({
  display: 'grid',
  gridTemplateColumns: 'repeat(3, minmax(0, 1fr))',
  gap: 18,
  margin: '16px 0 0',
  padding: 0,
  listStyle: 'none',
  textAlign: 'left',
  '& li': {
    display: 'grid',
    gap: 4,
    alignContent: 'start',
  },
  '& svg': {
    width: '100%',
    height: 'auto',
  },
  '& .ground': {
    fill: 'var(--raised)',
    stroke: 'var(--line)',
  },
  '& .line': {
    fill: 'none',
    stroke: 'var(--accent)',
    strokeWidth: 2,
  },
  '& .a': {
    fill: SPECIMENS.a,
  },
  '& .b': {
    fill: SPECIMENS.b,
  },
  '& .c': {
    fill: SPECIMENS.c,
  },
  '& .same': {
    fill: 'var(--accentWash)',
    stroke: 'var(--accent)',
  },
  '& .off': {
    fill: 'var(--brickWash, var(--raised))',
    stroke: 'var(--brick)',
  },
})

const STEPS = [
  {
    title: labels.step1,
    words: labels.mapsAndMeshesComeInEach,
    picture: <Dropping />,
  },
  {
    title: labels.step2,
    words: labels.eachInputOfAMaterialIs,
    picture: <Wiring />,
  },
  {
    title: labels.step3,
    words: labels.thePackageIsReadBackAs,
    picture: <Trying />,
  },
]

/** What happens in a project, in three pictures: for those who have nothing in it yet. */
export function FirstSteps() {
  return (
    <FirstStepsBox className="first-steps" aria-label={labels.whatHappensNext}>
      {STEPS.map((step) => (
        <li key={step.title}>
          {step.picture}
          <b>{step.title}</b>
          <span className="small">{step.words}</span>
        </li>
      ))}
    </FirstStepsBox>
  )
}

function Dropping() {
  return (
    <svg viewBox="0 0 200 110" aria-hidden>
      <rect className="ground" x="1" y="1" width="198" height="108" rx="6" />
      <path className="line" strokeDasharray="5 4" d="M70 24h114v62H70z" />
      <rect className="a" x="16" y="18" width="30" height="30" />
      <rect className="b" x="24" y="40" width="30" height="30" />
      <rect className="c" x="32" y="62" width="30" height="30" />
      <path className="line" d="M66 56h44m-10-8 10 8-10 8" />
      <path className="line" d="M128 70l22-36 22 36z" />
    </svg>
  )
}

function Wiring() {
  return (
    <svg viewBox="0 0 200 110" aria-hidden>
      <rect className="ground" x="1" y="1" width="198" height="108" rx="6" />
      {['a', 'b', 'c'].map((kind, row) => (
        <g key={kind} transform={`translate(0 ${18 + row * 28})`}>
          <rect className={kind} x="16" y="0" width="20" height="20" />
          <path className="line" d="M36 10h56m-8-6 8 6-8 6" />
        </g>
      ))}
      <circle className="line" cx="152" cy="55" r="32" />
      <path className="line" d="M130 34c14 14 30 14 44 0" />
    </svg>
  )
}

function Trying() {
  return (
    <svg viewBox="0 0 200 110" aria-hidden>
      <rect className="ground" x="1" y="1" width="198" height="108" rx="6" />
      {[0, 1, 2].map((row) =>
        [0, 1, 2, 3].map((column) => (
          <rect
            key={`${row} ${column}`}
            className={row === 1 && column === 2 ? 'off' : 'same'}
            x={24 + column * 40}
            y={18 + row * 27}
            width="32"
            height="20"
            rx="3"
          />
        )),
      )}
    </svg>
  )
}
