// Components where a mistake would be silent.
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, renderHook, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { act } from 'react'
import type { ReactNode } from 'react'
import { MemoryRouter, Route, Routes } from 'react-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useRecipe, useStepping } from '../src/api/changes'
import { post } from '../src/api/client'
import { useNotices } from '../src/api/notices'
import { AskName } from '../src/components/AskName'
import { Confirm } from '../src/components/Confirm'
import { copyText } from '../src/components/copyText'
import { Picture } from '../src/components/Picture'
import { FailureBoundary, OverlayBoundary } from '../src/components/FailureBoundary'
import { useTyped } from '../src/components/useTyped'
import { RenderBoundary } from '../src/viewport/RenderBoundary'
import { useSharedCanvas } from '../src/viewport/sharedCanvas'

vi.mock('../src/api/client', async (original) => ({
  ...(await original<typeof import('../src/api/client')>()),
  post: vi.fn(),
}))

afterEach(cleanup)

describe('a dialog that asks for a name', () => {
  const ask = (initial: string) => {
    const [done, close] = [vi.fn(), vi.fn()]
    render(<AskName title="Rename it" label="Name" initial={initial} close={close} done={done} />)
    return { done, close }
  }
  it('gives the name without blanks round it, once', async () => {
    const { done, close } = ask('tile')
    await userEvent.clear(screen.getByLabelText('Name'))
    await userEvent.type(screen.getByLabelText('Name'), '  slate {Enter}')
    expect(done.mock.calls).toEqual([['slate']])
    expect(close).toHaveBeenCalledOnce()
  })
  it('takes no empty name, by key or button', async () => {
    const { done } = ask('tile')
    await userEvent.clear(screen.getByLabelText('Name'))
    await userEvent.type(screen.getByLabelText('Name'), '   {Enter}')
    expect((screen.getByRole('button', { name: 'Rename' }) as HTMLButtonElement).disabled).toBe(
      true,
    )
    expect(done).not.toHaveBeenCalled()
  })
  it('is left without doing anything', async () => {
    const { done, close } = ask('tile')
    await userEvent.click(screen.getByRole('button', { name: 'Cancel' }))
    expect(close).toHaveBeenCalledOnce()
    expect(done).not.toHaveBeenCalled()
  })
})

describe('a question before something goes', () => {
  it.each([
    ['Remove', 1],
    ['Cancel', 0],
  ] as const)('%s: done %i times, and closed', async (name, times) => {
    const [done, close] = [vi.fn(), vi.fn()]
    render(
      <Confirm title="Remove tile" action="Remove" close={close} done={done}>
        <p>gone</p>
      </Confirm>,
    )
    await userEvent.click(screen.getByRole('button', { name }))
    expect(done).toHaveBeenCalledTimes(times)
    expect(close).toHaveBeenCalled()
  })
})

describe('a picture that the server makes', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())
  const fail = () => fireEvent.error(screen.getByAltText('tile'))
  const wait = () => act(() => vi.runAllTimers())

  it('is asked for again, and said in its place when it cannot be had', () => {
    render(<Picture src="/api/views/a.png" alt="tile" className="thumb" />)
    for (const again of ['1', '2', '3']) {
      fail()
      wait()
      expect(screen.getByAltText('tile').getAttribute('src')).toBe(
        `/api/views/a.png?again=${again}`,
      )
    }
    fail()
    expect(screen.getByRole('img').getAttribute('aria-label')).toBe('tile: it could not be made')
    expect(screen.getByText('no picture').className).toContain('thumb')
  })
  it('is on its way until it has come, and again when it is another', () => {
    const classes = () => [...screen.getByAltText('tile').classList]
    const { rerender } = render(<Picture src="a.png" alt="tile" className="thumb" />)
    expect(classes()).toEqual(['thumb', 'coming'])
    fireEvent.load(screen.getByAltText('tile'))
    expect(classes()).toEqual(['thumb'])
    rerender(<Picture src="b.png" alt="tile" className="thumb" />)
    expect(classes()).toEqual(['thumb', 'coming'])
  })
  it('is tried anew when it is another', () => {
    const { rerender } = render(<Picture src="a.png" alt="tile" />)
    for (let times = 0; times < 4; times += 1) {
      fail()
      wait()
    }
    expect(screen.queryByText('no picture')).not.toBeNull()
    rerender(<Picture src="b.png" alt="tile" />)
    expect(screen.getByAltText('tile').getAttribute('src')).toBe('b.png')
  })
})

describe('a number that is typed', () => {
  function Field({ value, done }: { value: number; done: (value: number) => void }) {
    const { typed, setTyped, finish } = useTyped(value, done)
    return (
      <input
        aria-label="High"
        value={typed ?? String(value)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={finish}
      />
    )
  }
  it.each([
    ['0.25', [[0.25]]],
    ['0,25', [[0.25]]],
    ['nonsense', []],
    ['', []],
  ] as const)('%s', async (text, calls) => {
    const done = vi.fn()
    render(<Field value={0.5} done={done} />)
    await userEvent.clear(screen.getByLabelText('High'))
    if (text) await userEvent.type(screen.getByLabelText('High'), text)
    await userEvent.tab()
    expect(done.mock.calls).toEqual(calls)
  })
})

describe('what cannot be drawn', () => {
  beforeEach(() => useSharedCanvas.setState({ troubles: {} }))
  const Broken = (): never => {
    throw new Error('no such mesh')
  }
  it('is said, and what comes after it is drawn', () => {
    vi.spyOn(console, 'error').mockImplementation(() => undefined)
    const { rerender } = render(
      <RenderBoundary>
        <Broken />
      </RenderBoundary>,
    )
    expect(Object.values(useSharedCanvas.getState().troubles)).toEqual([
      'This could not be drawn: no such mesh',
    ])
    rerender(
      <RenderBoundary>
        <p>sphere</p>
      </RenderBoundary>,
    )
    expect(screen.queryByText('sphere')).not.toBeNull()
    expect(useSharedCanvas.getState().troubles).toEqual({})
  })
  it('is told apart by what it is, and forgotten alone', () => {
    const { fail } = useSharedCanvas.getState()
    fail('a', 'A is missing.')
    fail('b', 'B is missing.')
    fail('a', null)
    expect(useSharedCanvas.getState().troubles).toEqual({ b: 'B is missing.' })
  })
})

describe('a step that is sent twice', () => {
  it('is made once, and again once it was made', async () => {
    const answers: ((value: unknown) => void)[] = []
    const posted = vi.mocked(post)
    posted.mockImplementation(() => new Promise((answer) => answers.push(answer)) as never)
    const queries = new QueryClient()
    const wrapper = ({ children }: { children: ReactNode }) => (
      <QueryClientProvider client={queries}>
        <MemoryRouter initialEntries={['/projects/p']}>
          <Routes>
            <Route path="/projects/:projectId" element={children} />
          </Routes>
        </MemoryRouter>
      </QueryClientProvider>
    )
    const { result } = renderHook(() => useRecipe(), { wrapper })
    const flat = { append: { kind: 'shade', slots: ['A'], angle: 0 } } as const
    const send = () => result.current('lamp', { append: { ...flat.append, slots: ['A'] } })
    const first = send()
    expect(await send()).toBeNull()
    expect(useStepping.getState().sent).toHaveLength(1)
    await vi.waitFor(() => expect(posted).toHaveBeenCalledTimes(1))
    const project = { id: 'p', revision: 2 }
    answers[0]!({ project, job: null })
    expect(await first).toEqual(project)
    expect(useStepping.getState().sent).toEqual([])
    void send()
    await vi.waitFor(() => expect(posted).toHaveBeenCalledTimes(2))
  })
})

describe('a part of the page that fails', () => {
  beforeEach(() => void vi.spyOn(console, 'error').mockImplementation(() => undefined))
  const Broken = ({ message }: { message: string }): never => {
    throw new Error(message)
  }
  it.each([
    ['no such slot', 'Something went wrong on this page (no such slot).'],
    // As Chromium, Firefox and Safari word it; from memory.
    [
      'Failed to fetch dynamically imported module: /a.js',
      'A part of the program could not be fetched',
    ],
    [
      'error loading dynamically imported module: /a.js',
      'A part of the program could not be fetched',
    ],
    ['Importing a module script failed.', 'A part of the program could not be fetched'],
  ])('is said in a sentence: %s', (message, sentence) => {
    render(
      <FailureBoundary>
        <Broken message={message} />
      </FailureBoundary>,
    )
    expect(screen.getByRole('alert').textContent).toContain(sentence)
  })
  it('leaves the rest standing, and is tried anew at another place', () => {
    const at = (place: string, part: ReactNode) => (
      <>
        <p>header</p>
        <FailureBoundary place={place}>{part}</FailureBoundary>
      </>
    )
    const { rerender } = render(at('/checks', <Broken message="no" />))
    expect(screen.queryByText('header')).not.toBeNull()
    rerender(at('/maps', <p>board</p>))
    expect(screen.queryByText('board')).not.toBeNull()
    expect(screen.queryByRole('alert')).toBeNull()
  })
  it('over a screen is said in a dialog that can be closed', async () => {
    const close = vi.fn()
    render(
      <OverlayBoundary close={close}>
        <Broken message="Importing a module script failed." />
      </OverlayBoundary>,
    )
    expect(screen.getByRole('dialog').textContent).toContain('A part of the program')
    await userEvent.click(screen.getByRole('button', { name: 'Close' }))
    expect(close).toHaveBeenCalledOnce()
  })
})

describe('copying', () => {
  afterEach(() => void vi.unstubAllGlobals())
  const said = () => useNotices.getState().current
  it('is said', async () => {
    const writeText = vi.fn(() => Promise.resolve())
    vi.stubGlobal('navigator', { clipboard: { writeText } })
    await copyText('0.5\t0.25')
    expect(writeText).toHaveBeenCalledWith('0.5\t0.25')
    expect(said()).toBe('Copied.')
  })
  it.each([
    ['there is no clipboard', {}],
    ['it is refused', { clipboard: { writeText: () => Promise.reject(new Error('denied')) } }],
  ])('says why it could not where %s', async (_, browser) => {
    vi.stubGlobal('navigator', browser)
    await copyText('text')
    expect(said()).toBeInstanceOf(Error)
  })
})
