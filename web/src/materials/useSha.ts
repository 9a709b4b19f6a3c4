import { useBoard } from '../api/queries'

export function useSha(map: string): string | undefined {
  const known = useBoard().data?.find((entry) => entry.name === map)
  return known && known.width > 0 ? known.sha256 : undefined
}
