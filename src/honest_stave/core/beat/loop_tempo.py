"""Tempo, length in bars, meter and swing of a drum loop, from its hits.

Every tempo is tried: how exactly the hits lie on its sixteenths, whether the bar repeats, whether
kicks and snares fall where drummers put them, and whether the recording was cut to its bars.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

SLOWEST_BPM, FASTEST_BPM, STEP = 40.0, 240.0, 1.0015
# Hits this far off a grid line count half as well.
EXACT_S = 0.014
SWINGS = (0.5, 0.54, 0.58, 0.62, 0.667)
STRAIGHT = 0.5
# Meters tried: beats of the bar, parts of a beat.
METERS = ((4, 4), (3, 4), (2, 4), (4, 3), (2, 3), (5, 4), (7, 4))
# What speaks against a meter before anything was heard, in units of the score.
AGAINST_METER = {(4, 4): 0.0, (3, 4): 0.14, (2, 4): 0.12, (4, 3): 0.1, (2, 3): 0.12, (5, 4): 0.22, (7, 4): 0.25}
# Tempi are spread about this one, by so many octaves.
USUAL_BPM, SPREAD_OCTAVES = 112.0, 0.75
WEIGHTS = {
    "grid": 1.0,
    "repeat": 0.5,
    "accents": 0.6,
    "usual": 0.35,
    "coarse": 0.35,
    "swing": 0.05,
    "cut": 0.3,
    "short": 0.2,
}
SAME_S = 0.03
# A recording that begins and ends this near to its bars was cut to them: closer than that no drummer plays.
CUT_TO_BARS_S = 0.02
# Loops are cut to 1, 2, 4 and more bars; another length says half as much.
ANOTHER_LENGTH = 0.5
# What repeats is not told where fewer hits than this could come again.
LEAST_REPEATS, NOT_TOLD = 3, 0.3
LEAST_HITS = 4
# Tempi are judged over so much, or so many moments if that takes longer: between two tempi that are tried the grid
# would be lost in a longer stretch. What is around refines the tempo, a stretch at a time.
JUDGED_S, JUDGED_MOMENTS, LONGER = 12.0, 24, 1.5
# They are judged from the first hit on, unless it has less than this share of another stretch's kicks and snares.
ENOUGH_DRUMS = 0.5
# Where fewer of the moments lie on the grid, the tempo is not kept, and what is around says nothing of it.
KEPT_SHARE = 0.5
DIFFERENT = 0.04
# So many are placed in the recording, and the likeliest proposed with so many rivals.
PLACED, RIVALS = 12, 3


@dataclass(frozen=True)
class LoopTempo:
    """A tempo proposed for a loop.

    Args:
        bpm: quarter notes (dotted ones in a compound meter) a minute; where the recording was cut to its bars,
            that with which they fill it.
        bars: length in bars, from the first hit to the end of the bar in which the last one lies.
        numerator, denominator: meter.
        swing: where the second sixteenth of a pair falls, 0.5 for straight.
        start_s: the first downbeat.
        score: against its rivals; share: of the sum of all proposals.
        end_off_s: how far the recording goes on beyond the last bar's end, negative where it stops before.
    """

    bpm: float
    bars: float
    numerator: int
    denominator: int
    swing: float
    start_s: float
    score: float
    share: float = 0.0
    end_off_s: float = 0.0

    @property
    def beats(self) -> int:
        """Felt beats of a bar."""
        return self.numerator if self.denominator == 4 else self.numerator // 3


def propose_tempo(
    time_s: Values, drum: NDArray[np.int64], velocity: Values, duration_s: float
) -> tuple[LoopTempo, ...]:
    """Tempi of a loop, the likeliest first; none where there are too few hits.

    Args:
        time_s: hits in order, seconds from the recording's start.
        drum: index into ``hits.reading.DRUMS``.
        velocity: 1 to 127.
        duration_s: length of the recording.
    """
    moments, first = np.unique(time_s, return_index=True)
    if len(moments) < LEAST_HITS:
        return ()
    weight = np.sqrt(np.maximum.reduceat(velocity / 127, first))
    kick = _at_moments(moments, time_s[drum == 0])
    snare = _at_moments(moments, time_s[drum == 1])
    judged = _judged(moments, kick + snare)
    begun, loud = moments[judged], weight[judged]
    kick, snare = kick[judged], snare[judged]
    low = np.log(SLOWEST_BPM)
    tempi = np.exp(np.arange(low, np.log(FASTEST_BPM), np.log(STEP)))
    grids = {parts: [_on_grid(float(bpm), parts, begun, loud) for bpm in tempi] for parts in (4, 3)}
    found = [
        _judge(bpm, meter, grid, begun, loud, kick * loud, snare * loud)
        for meter in METERS
        for bpm, grid in _peaks(tempi, grids[meter[1]])
    ]
    found.sort(key=lambda t: -t.score)
    kept: list[LoopTempo] = []
    for each in found:
        if all(_differs(each, other) for other in kept):
            kept.append(_placed(_refined(each, moments, weight, judged), moments, duration_s))
        if len(kept) == PLACED:
            break
    kept = sorted((_told_by_ends(each) for each in kept), key=lambda t: -t.score)[: RIVALS + 1]
    odds = np.exp(8 * (np.array([t.score for t in kept]) - kept[0].score))
    return tuple(replace(t, share=float(o / odds.sum())) for t, o in zip(kept, odds, strict=True))


def _peaks(tempi: Values, grids: list[tuple[float, float]]) -> list[tuple[float, tuple[float, float]]]:
    """Tempi whose grid the hits keep better than that of their neighbours: the others lie beside one of these."""
    exact = np.array([grid for _, grid in grids])
    higher = np.maximum(np.append(-np.inf, exact[:-1]), np.append(exact[1:], -np.inf))
    return [(float(tempi[i]), grids[i]) for i in np.flatnonzero(exact >= higher)]


def _at_moments(moments: Values, some: Values) -> Values:
    return np.isin(moments, some).astype(np.float64)


def _differs(a: LoopTempo, b: LoopTempo) -> bool:
    return abs(np.log(a.bpm / b.bpm)) > DIFFERENT or a.numerator != b.numerator


def _on_grid(bpm: float, parts: int, moments: Values, weight: Values) -> tuple[float, float]:
    """Swing with which the hits lie on the grid best, and how exactly they do: 1 at best, 0 as by chance."""
    beat_s = 60 / bpm
    place = (moments - moments[0]) / beat_s
    best_swing, grid = STRAIGHT, -1.0
    for swing in SWINGS if parts == 4 else (STRAIGHT,):
        off_s = beat_s * _off_grid(place, parts, swing)
        exact = float((weight * np.exp(-((off_s / EXACT_S) ** 2) * np.log(2))).sum() / weight.sum())
        # By chance alone the hits would be this exact: a fine grid fits anything.
        chance = min(0.95, 2 * EXACT_S * parts / beat_s)
        exact = (exact - chance) / (1 - chance) - (WEIGHTS["swing"] if swing != STRAIGHT else 0.0)
        if exact > grid:
            best_swing, grid = swing, exact
    return best_swing, grid


def _judge(
    bpm: float,
    meter: tuple[int, int],
    on_grid: tuple[float, float],
    moments: Values,
    weight: Values,
    kick: Values,
    snare: Values,
) -> LoopTempo:
    beats, parts = meter
    beat_s = 60 / bpm
    swing, grid = on_grid
    place = (moments - moments[0]) / beat_s
    on_beat = np.abs(place - np.round(place)) * beat_s < SAME_S
    coarse = float(weight[on_beat].sum() / weight.sum())
    number = np.round(place).astype(int) % beats
    accents = _accents(on_beat, number, beats, kick, snare)
    # Of a single bar only its halves can repeat, and they say as much of it as of a bar of that length.
    whole = beats % 2 or (moments < moments[-1] - beats * beat_s + SAME_S).sum() >= LEAST_REPEATS
    repeat = _repeats(moments, beats * beat_s if whole else beats / 2 * beat_s)
    usual = -0.5 * (np.log2(bpm / USUAL_BPM) / SPREAD_OCTAVES) ** 2
    score = (
        WEIGHTS["grid"] * grid
        + WEIGHTS["repeat"] * repeat
        + WEIGHTS["accents"] * accents
        + WEIGHTS["usual"] * usual
        + WEIGHTS["coarse"] * coarse
        - AGAINST_METER[meter]
    )
    numerator, denominator = (beats, 4) if parts == 4 else (3 * beats, 8)
    return LoopTempo(bpm, 0, numerator, denominator, swing, float(moments[0]), float(score))


def _off_grid(place: Values, parts: int, swing: float) -> Values:
    """Distance of each moment from the nearest grid line, in beats."""
    if parts != 4:
        return np.asarray(np.abs(place - np.round(place * parts) / parts))
    half = np.mod(place, 0.5)
    lines = np.array([0.0, 0.5 * swing, 0.5])
    return np.asarray(np.abs(half[:, None] - lines).min(axis=1))


def _accents(on_beat: NDArray[np.bool_], number: NDArray[np.int64], beats: int, kick: Values, snare: Values) -> float:
    """How well kicks fall on the first beat and snares on the others that drummers strike, -1 to 1."""
    back = {4: (1, 3), 2: (1,), 3: (1, 2), 5: (3,), 7: (2, 4, 6)}[beats]
    told = 0.0
    if snare.sum() > 0:
        told += float(snare[on_beat & np.isin(number, back)].sum() / snare.sum())
        told -= float(snare[on_beat & (number == 0)].sum() / snare.sum())
    if kick.sum() > 0:
        told += 0.6 * float(kick[on_beat & (number == 0)].sum() / kick.sum())
        told -= 0.4 * float(kick[on_beat & np.isin(number, back)].sum() / kick.sum())
    return told / 1.6


def _repeats(moments: Values, bar_s: float) -> float:
    """Share of the hits that come again a bar later, of those that could."""
    able = moments < moments[-1] - bar_s + SAME_S
    if able.sum() < LEAST_REPEATS:
        return NOT_TOLD
    later = moments[able] + bar_s
    nearest = np.abs(moments[np.clip(np.searchsorted(moments, later), 0, len(moments) - 1)] - later)
    before = np.abs(moments[np.clip(np.searchsorted(moments, later) - 1, 0, len(moments) - 1)] - later)
    return float((np.minimum(nearest, before) < SAME_S).mean())


def _judged(moments: Values, drums: Values) -> slice:
    """The stretch in which tempi are judged."""
    until = np.maximum(np.searchsorted(moments, moments + JUDGED_S), np.arange(len(moments)) + JUDGED_MOMENTS)
    until = np.minimum(until, len(moments))
    within = np.append(0, np.cumsum(drums))[until] - np.append(0, np.cumsum(drums))[:-1]
    first = int(np.flatnonzero(within >= ENOUGH_DRUMS * within.max())[0])
    # It begins with a kick or a snare, if it has any, as the first hit of a loop mostly does.
    first = first if first == 0 or not drums[first:].any() else first + int(drums[first:].argmax())
    return slice(first, int(until[first]))


def _refined(tempo: LoopTempo, moments: Values, weight: Values, judged: slice) -> LoopTempo:
    """The tempo and first downbeat that lie closest to the hits, first of those judged, then of more and more."""
    tempo, kept = _closest(tempo, moments[judged], weight[judged])
    first, last = float(moments[judged][0]), float(moments[judged][-1])
    while kept and (first > moments[0] or last < moments[-1]):
        more_s = (LONGER - 1) * max(last - first, JUDGED_S)
        first, last = first - more_s, last + more_s
        near = (moments >= first) & (moments <= last)
        longer, kept = _closest(tempo, moments[near], weight[near])
        tempo = longer if kept else tempo
    return tempo


def _closest(tempo: LoopTempo, moments: Values, weight: Values) -> tuple[LoopTempo, bool]:
    """The tempo by least squares on the grid, and whether most moments lie on it."""
    parts = 4 if tempo.denominator == 4 else 3
    beat_s, start_s = 60 / tempo.bpm, tempo.start_s
    near = np.zeros(len(moments), bool)
    for _ in range(3):
        place = (moments - start_s) / beat_s
        if parts == 4:
            whole = np.floor(2 * place + 1e-9) / 2
            inner = place - whole
            lines = np.array([0.0, 0.5 * tempo.swing, 0.5])
            grid = whole + lines[np.abs(inner[:, None] - lines).argmin(axis=1)]
        else:
            grid = np.round(place * parts) / parts
        near = np.abs(place - grid) * beat_s < 2 * EXACT_S
        if near.sum() < LEAST_HITS or np.ptp(grid[near]) == 0:
            break
        design = np.column_stack([grid[near], np.ones(near.sum())]) * weight[near, None]
        beat_s, start_s = np.linalg.lstsq(design, moments[near] * weight[near], rcond=None)[0]
    bpm = 60 / float(beat_s)
    if not SLOWEST_BPM <= bpm <= FASTEST_BPM:
        return tempo, False
    return replace(tempo, bpm=bpm, start_s=max(float(start_s), 0.0)), bool(near.mean() >= KEPT_SHARE)


def _placed(tempo: LoopTempo, moments: Values, duration_s: float) -> LoopTempo:
    bar_s = tempo.beats * 60 / tempo.bpm
    before = max(0, int(np.floor((tempo.start_s - moments[0] + SAME_S) / bar_s)))
    tempo = replace(tempo, start_s=max(tempo.start_s - before * bar_s, 0.0))
    whole = max(1, round((duration_s - tempo.start_s) / bar_s))
    if _ends_on_bars(tempo.start_s, duration_s - (tempo.start_s + whole * bar_s)):
        return replace(tempo, bars=whole, bpm=60 * tempo.beats * whole / duration_s, end_off_s=-tempo.start_s)
    bars = max(1, int(np.floor((moments[-1] - tempo.start_s) / bar_s + 0.02)) + 1)
    return replace(tempo, bars=bars, end_off_s=duration_s - (tempo.start_s + bars * bar_s))


def _ends_on_bars(start_s: float, end_off_s: float) -> bool:
    return start_s <= CUT_TO_BARS_S and abs(end_off_s) <= CUT_TO_BARS_S


def _told_by_ends(tempo: LoopTempo) -> LoopTempo:
    """The tempo with what the recording's ends say of it."""
    if not _ends_on_bars(tempo.start_s, tempo.end_off_s):
        # A loop may lose its last beat to a cut, hardly more of its last bar.
        short = float(np.clip((-tempo.end_off_s * tempo.bpm / 60 - 1) / tempo.beats, 0, 1))
        return replace(tempo, score=tempo.score - WEIGHTS["short"] * short)
    chance = min(1.0, 2 * CUT_TO_BARS_S * tempo.bpm / (60 * tempo.beats))
    usual = 1.0 if float(np.log2(tempo.bars)).is_integer() else ANOTHER_LENGTH
    return replace(tempo, score=tempo.score + WEIGHTS["cut"] * usual * (1 - chance))
