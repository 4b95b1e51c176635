"""Which reading suits a take: one voice, many voices, drums, or a mix of drums and pitches.

A few stretches are listened to; eight measures of them are weighed by a softmax that was fitted
with the network (see training/README.md). Drums that play with a band are hidden under its notes
in most bands: what gives them away are hats and wires over 5 kHz. Drums that ring have pitches
too, but each always the same.
"""

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch.activity import CELL_S, FRAMES_PER_CELL, Activity
from honest_stave.core.pitch.bands import HOP_SAMPLES, LOWEST_PITCH, Bands
from honest_stave.core.pitch.bare_bass import is_bare_bass, with_overtones
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare
from honest_stave.core.signal.loud_enough import loud_enough
from honest_stave.core.signal.measure import level_reached

KindName = Literal["one", "many", "drums", "mix"]
KINDS: tuple[KindName, ...] = ("one", "many", "drums", "mix")
# So many stretches of this length are listened to, spread over the take.
STRETCHES, STRETCH_S = 5, 8.0
# A pitch sounds where it is surer than this: drums that ring are heard as doubtful ones.
SOUNDING, BEGINNING = 0.65, 0.4
# A drum's stroke lifts this many short bands by this much within four frames (46 ms).
RISE_FRAMES, RISE_DB, WIDE_SHARE = 4, 9.0, 0.3
# A bright stroke lifts so many of the bands from 5 kHz on by this much, to no farther than either of these under the
# loudest of the take: hats reach the first, plucked strings sometimes the second.
BRIGHT_FROM, BRIGHT_RISE_DB, BRIGHT_SHARE = 111 - LOWEST_PITCH, 7.0, 0.6
BRIGHT_DEPTHS_DB, LOUD_SHARE = (45.0, 55.0), 0.99
# The first few bright strokes tell most: they are weighed by their logarithm, from a sixth of a stroke a second on.
BRIGHT_UNIT = 6.0
# A drum that rings does so at its own pitch: two drums may have most of what begins. Chords have up to half on two.
COMMONEST, OF_CHORDS = 2, 0.5
# A line on three pitches or more rarely has more on the two commonest; a drum has all.
SURELY_TWO = 0.85
# How many pitches beyond two sound at once says nothing of one voice or many.
MOST_AT_ONCE = 2.0
# Of fewer strokes one without a pitch says little: the edge of a held tone is one.
FEW_STROKES = 4
# Bands that far below the loudest do not count: noise would.
DEPTH_DB = 60.0


@dataclass(frozen=True)
class Kind:
    """What a take seems to hold.

    Args:
        name: the likeliest kind.
        confidence: its share.
        shares: of all ``KINDS``, in their order.
        overlapping: share of the sounding time in which two pitches or more sound.
        strokes_a_second: strokes without a pitch.
        bright_a_second: strokes that are heard over 5 kHz, soft ones counted half.
        of_two_pitches: share of all beginnings of pitches that the two commonest have, 0 where none begins.
    """

    name: KindName
    confidence: float
    shares: tuple[float, ...]
    overlapping: float
    strokes_a_second: float
    bright_a_second: float
    of_two_pitches: float


def judge_kind(samples: NDArray[np.float32], rate: int) -> Kind:
    """Listens to stretches of a take and says what it seems to hold.

    Args:
        samples: (frames, channels), full scale 1; one frame or more.
        rate: sampling rate in Hz.

    Raises:
        BadInput: the network is missing or damaged.
    """
    listened = stretches(len(samples) / rate)
    parts = [prepare(samples, rate, ListenSettings(from_s=from_s, to_s=to_s))[0] for from_s, to_s in listened]
    raised, _ = loud_enough(np.concatenate(parts))
    parts = np.split(raised, np.cumsum([len(part) for part in parts])[:-1])
    if not is_bare_bass(parts):
        return _of_parts(parts)
    found = _of_parts([with_overtones(part) for part in parts])
    # A kick that rings low and loud is one or two pitches; what was added would hide the drums over it.
    return _of_parts(parts) if found.of_two_pitches > SURELY_TWO else _no_drums(found)


def _of_parts(parts: list[NDArray[np.float32]]) -> Kind:
    """What parts of a take at ``ANALYSIS_RATE`` seem to hold."""
    measured = []
    for part in parts:
        bands = measure_all(part)
        measured.append(measures(bands, hear(bands)))
    return kind_of(over_all(measured), constants_of("notes")["kind"])


def judge_heard(bands: Bands, activity: Activity, *, bare_bass: bool = False) -> Kind:
    """As ``judge_kind``, of a take that was heard as a whole.

    Args:
        bands, activity: of the take, one cell or more.
        bare_bass: it is mostly low tones without overtones.
    """
    measured = []
    for from_s, to_s in stretches(len(activity.onset) * CELL_S):
        first, stop = int(from_s / CELL_S), int(np.ceil(to_s / CELL_S))
        cells, frames = slice(first, stop), slice(FRAMES_PER_CELL * first, FRAMES_PER_CELL * stop)
        views = (activity.onset, activity.sounding, activity.offset, activity.velocity)
        there = Bands(bands.long_db[frames], bands.short_db[frames])
        measured.append(measures(there, Activity(*(view[cells] for view in views))))
    found = kind_of(over_all(measured), constants_of("notes")["kind"])
    return _no_drums(found) if bare_bass else found


def _no_drums(kind: Kind) -> Kind:
    """Low tones without overtones begin like strokes: on more than two pitches they are no drums."""
    if kind.of_two_pitches > SURELY_TWO:
        return kind
    shares = np.array(kind.shares) * [name in ("one", "many") for name in KINDS]
    shares /= shares.sum()
    best = int(shares.argmax())
    return replace(kind, name=KINDS[best], confidence=float(shares[best]), shares=tuple(shares.tolist()))


def stretches(duration_s: float) -> list[tuple[float, float]]:
    """What is listened to, as moments (s) from and to."""
    if duration_s <= STRETCHES * STRETCH_S:
        return [(0.0, duration_s)]
    starts = np.linspace(0.02 * duration_s, duration_s - STRETCH_S, STRETCHES)
    return [(float(s), float(s) + STRETCH_S) for s in starts]


def measures(bands: Bands, activity: Activity) -> NDArray[np.float64]:
    """What is judged, (8,): overlapping, pitches at once, voiced, width of attacks, strokes without pitch as a
    share and a second, of what begins that on the two commonest pitches (NaN where nothing does), bright strokes a
    second.
    """
    pitches = (activity.sounding > SOUNDING).sum(axis=1)
    voiced = pitches > 0
    overlapping = np.count_nonzero(pitches > 1) / max(int(voiced.sum()), 1)
    at_once = float(pitches[voiced].mean()) if voiced.any() else 0.0
    levels = bands.short_db.astype(np.float32)
    duration_s = max(len(levels) * HOP_SAMPLES / ANALYSIS_RATE, 1e-3)
    bright = bright_strokes(levels) / duration_s
    levels = np.maximum(levels, levels.max() - DEPTH_DB)
    wide = _risen(levels, RISE_DB)
    widest = float(np.sort(wide)[-max(1, len(wide) // 50) :].mean())
    strokes = _peaks(wide, WIDE_SHARE)
    cells = (strokes + 1 + RISE_FRAMES) // FRAMES_PER_CELL
    near = np.clip(cells[:, None] + np.arange(-3, 3), 0, len(activity.onset) - 1)
    explained = activity.onset.max(axis=1)[near].max(axis=1, initial=0.0)
    unexplained = int(np.count_nonzero(explained < BEGINNING))
    return np.array(
        [
            overlapping,
            min(at_once, MOST_AT_ONCE),
            float(voiced.mean()) if len(voiced) else 0.0,
            widest,
            unexplained / max(len(strokes), FEW_STROKES),
            min(unexplained / duration_s, 6.0),
            _of_the_commonest(activity.onset),
            bright,
        ]
    )


def over_all(measured: list[NDArray[np.float64]]) -> NDArray[np.float64]:
    """Measures of a take: the mean of those of its stretches, where there is something to measure."""
    return np.asarray(np.ma.masked_invalid(measured).mean(axis=0).filled(np.nan))


def _of_the_commonest(onset: NDArray[np.float32]) -> float:
    """Share of the beginnings that the commonest pitches have, NaN where nothing begins."""
    pitch = _peaks(onset, BEGINNING) % onset.shape[1]
    begun = np.sort(np.bincount(pitch, minlength=COMMONEST))
    return float(begun[-COMMONEST:].sum() / begun.sum()) if len(pitch) else np.nan


def weighed(measured: NDArray[np.float64]) -> NDArray[np.float64]:
    """Measures (..., 8) as the softmax weighs them; where nothing begins, all of it does on the same pitches."""
    commonest = np.nan_to_num(measured[..., 6:7], nan=1.0)
    beyond_chords = np.maximum(commonest - OF_CHORDS, 0.0)
    bright = np.log1p(BRIGHT_UNIT * measured[..., 7:])
    return np.concatenate([measured[..., :6], beyond_chords, bright], axis=-1)


def bright_strokes(levels: NDArray[np.float32]) -> float:
    """How many strokes are heard over 5 kHz, those that reach only the lower of ``BRIGHT_DEPTHS_DB`` counted half.

    Args:
        levels: of the short view in dB, (frames, bands), one frame or more.
    """
    loudest_db = level_reached(levels.max(axis=1), LOUD_SHARE)
    bright = levels[:, BRIGHT_FROM:]
    heard = [np.maximum(bright, loudest_db - depth_db) for depth_db in BRIGHT_DEPTHS_DB]
    return float(np.mean([len(_peaks(_risen(h, BRIGHT_RISE_DB), BRIGHT_SHARE)) for h in heard]))


def _risen(levels: NDArray[np.float32], rise_db: float) -> NDArray[np.float64]:
    """Share of the bands that rise by so much within ``RISE_FRAMES``, (frames - RISE_FRAMES,), one at least."""
    rise = levels[RISE_FRAMES:] - levels[:-RISE_FRAMES]
    return np.asarray((rise > rise_db).mean(axis=1)) if len(rise) else np.zeros(1)


def _peaks(wide: NDArray[np.floating], least: float) -> NDArray[np.int64]:
    """Places (flat) where a share is highest among its neighbours before and after, and over a limit."""
    return np.flatnonzero((wide[1:-1] >= wide[:-2]) & (wide[1:-1] > wide[2:]) & (wide[1:-1] > least))


def kind_of(measured: NDArray[np.float64], constants: dict[str, Any]) -> Kind:
    """The judgement of measures, by weights (kinds, measures) and intercepts (kinds,)."""
    logits = np.array(constants["weights"]) @ weighed(measured) + np.array(constants["intercepts"])
    shares = np.exp(logits - logits.max())
    shares /= shares.sum()
    best = int(shares.argmax())
    overlapping, strokes, commonest, bright = (float(measured[i]) for i in (0, 5, 6, 7))
    of_two = 0.0 if np.isnan(commonest) else commonest
    return Kind(KINDS[best], float(shares[best]), tuple(shares.tolist()), overlapping, strokes, bright, of_two)
