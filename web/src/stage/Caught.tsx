import { Component } from 'react'
import type { ReactNode } from 'react'

import { useKept } from './kept'

interface Props {
  children: ReactNode
}

interface State {
  children: ReactNode
  failed: boolean
}

/** Says on the stage that something on it could not be drawn; the rest of the page goes on. */
export class Caught extends Component<Props, State> {
  override state: State = { children: null, failed: false }

  static getDerivedStateFromError = () => ({ failed: true })

  /** Something else on the stage is tried anew. */
  static getDerivedStateFromProps = ({ children }: Props, state: State) =>
    children === state.children ? null : { children, failed: false }

  override componentDidCatch(problem: Error) {
    useKept.getState().fail('drawing', `This could not be drawn: ${problem.message}`)
  }

  override componentDidUpdate(_: Props, before: State) {
    if (before.failed && !this.state.failed) useKept.getState().fail('drawing', null)
  }

  override render() {
    return this.state.failed ? null : this.props.children
  }
}
