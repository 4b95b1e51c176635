/** Keys that play slices in the playing mode, in order. */
export const PLAY_KEYS = '1234567890qwertyuiopasdfghjklzxcvbnm'
