"""A spectrogram on a pitch axis, in tiles and for any zoom: a byte a band.

Close by, every column is the loudest of the frames in it. Far away, where a column stands for
seconds, only its middle is listened to, so that a tile costs the same at any zoom.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import measure_long_db
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare

# Byte 0 is this level, one step half a decibel.
LOWEST_DB, STEP_DB = -110.0, 0.5
# Frames in a column up to a length of it, and in longer ones; hops are multiples of what low bands are thinned by.
FRAMES, MOST_FRAMES = ((1, 0.024), (2, 0.048)), 4
GRAIN = 8
# Columns longer than this are heard by samples.
FAR_S = 0.16
PIECE = 8192
CONTEXT_S = 0.2


def tile(samples: NDArray[np.float32], rate: int, from_s: float, column_s: float, columns: int) -> NDArray[np.uint8]:
    """Levels of ``columns`` columns as bytes, (columns, bands of three a semitone from A0 up).

    Args:
        samples: (frames, channels) of the take.
        rate: sampling rate in Hz.
        from_s: moment of the first column's beginning.
        column_s: length of a column.
        columns: how many.
    """
    level = (
        _far(samples, rate, from_s, column_s, columns)
        if column_s > FAR_S
        else _near(samples, rate, from_s, column_s, columns)
    )
    return np.clip(np.round((level - LOWEST_DB) / STEP_DB), 0, 255).astype(np.uint8)


def _stretch(samples: NDArray[np.float32], rate: int, from_s: float, to_s: float) -> NDArray[np.float32]:
    """Mono at the analysis rate from one moment to another, silence outside the take."""
    length = round((to_s - from_s) * ANALYSIS_RATE)
    inside_from, inside_to = max(from_s, 0.0), min(to_s, len(samples) / rate)
    found = np.zeros(length, np.float32)
    if inside_to - inside_from > 1.0 / rate:
        mono, starts_s = prepare(samples, rate, ListenSettings(from_s=inside_from, to_s=inside_to))
        first = round((starts_s - from_s) * ANALYSIS_RATE)
        piece = mono[: max(length - first, 0)]
        found[first : first + len(piece)] = piece
    return found


def _near(
    samples: NDArray[np.float32], rate: int, from_s: float, column_s: float, columns: int
) -> NDArray[np.float32]:
    frames = next((count for count, longest_s in FRAMES if column_s <= longest_s), MOST_FRAMES)
    hop = GRAIN * max(1, round(column_s / frames * ANALYSIS_RATE / GRAIN))
    signal = _stretch(samples, rate, from_s - CONTEXT_S, from_s + columns * column_s + CONTEXT_S)
    start = round((CONTEXT_S + column_s / frames / 2) * ANALYSIS_RATE)
    level = measure_long_db(signal[start % hop :], start // hop, columns * frames, hop)
    return np.asarray(level.reshape(columns, frames, -1).max(axis=1))


def _far(
    samples: NDArray[np.float32], rate: int, from_s: float, column_s: float, columns: int
) -> NDArray[np.float32]:
    half_s = PIECE / 2 / ANALYSIS_RATE
    middles = from_s + (np.arange(columns) + 0.5) * column_s
    pieces = [_stretch(samples, rate, m - half_s, m + half_s)[:PIECE] for m in middles.tolist()]
    padded = [np.pad(p, (0, PIECE - len(p))) for p in pieces]
    signal = np.concatenate([np.zeros(PIECE // 2, np.float32), *padded])
    return measure_long_db(signal, 1, columns, PIECE)
