/** Milliseconds that what has come waits for what comes with it. */
const LONGEST = 250

/** Shows things that are on their way together: once all have come, or those that have once it takes long. Many looks are drawn
 * once for all that way, not once for each. */
export function frameTogether() {
  const coming = new Set<object>()
  let come: (() => void)[] = []
  let late: ReturnType<typeof setTimeout> | undefined
  const show = () => {
    clearTimeout(late)
    late = undefined
    const all = come
    come = []
    all.forEach((one) => one())
  }
  const off = (one: object) => {
    coming.delete(one)
    if (coming.size === 0) show()
  }
  return {
    begin: (one: object) => void coming.add(one),
    /** It has come; what it gives comes once it is to be shown. */
    end: (one: object) =>
      new Promise<void>((shown) => {
        come.push(shown)
        late ??= setTimeout(show, LONGEST)
        off(one)
      }),
    /** Nobody wants it any more: the others do not wait for it. */
    off,
  }
}
