/** First place in a rising list whose value is at least this. */
export function firstFrom(rising: ArrayLike<number>, value: number): number {
  let low = 0
  let high = rising.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (rising[middle] < value) low = middle + 1
    else high = middle
  }
  return low
}
