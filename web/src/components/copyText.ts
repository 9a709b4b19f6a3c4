import { useNotices } from '../api/notices'
import { labels } from '../words/components'

/** Puts a text on the clipboard and says so, or why it could not: browsers let only pages of HTTPS or of this machine do it. */
export async function copyText(text: string) {
  const { say } = useNotices.getState()
  try {
    await navigator.clipboard.writeText(text)
    say('Copied.')
  } catch {
    say(new Error(labels.theBrowserKeepsThisPage))
  }
}
