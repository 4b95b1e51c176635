"""Cuts of a loop: from hits over the thresholds and from the producer's hand."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import isnan, log10

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput
from honest_stave.core.hits.kit import LEAD, MOST_SLICES, Kit, Slice, SliceSettings, Strike
from honest_stave.core.hits.reading import DRUMS, HitsReading

# A snare this much softer than the usual snare of the loop, and soft in itself, is a ghost.
GHOST_SHARE, GHOST_BELOW = 0.6, 64
# Cuts closer than this are one.
APART_S = 0.002
PLAIN = SliceSettings()
# Finer steps of shares and levels mean nothing, and thousands of them take their time to be sent.
SHARE_DIGITS, LEVEL_DIGITS, WITHIN_DIGITS = 4, 2, 1
# A lead shorter than this belongs to the first slice.
SHORTEST_LEAD_S = 0.002


@dataclass(frozen=True)
class Moment:
    """One moment at which drums were read: frame, how far off it may be, level, candidates."""

    frame: int
    within_ms: float | None
    level_db: float
    strikes: tuple[Strike, ...]


# What was read at a cut that was made by hand: nothing.
BY_HAND = Moment(-1, None, 0.0, ())


def moments_of(reading: HitsReading, rate: int) -> tuple[Moment, ...]:
    """Candidates of a reading by moment, every candidate kept."""
    if not len(reading.time_s):
        return ()
    frame = np.round(reading.time_s * rate).astype(int)
    ghost = ghosts(reading)
    found = []
    for place in np.split(np.arange(len(frame)), np.flatnonzero(np.diff(frame)) + 1):
        strikes = tuple(
            Strike(
                drum=DRUMS[reading.drum[i]],
                kind=reading.kind[i],
                velocity=round(float(reading.velocity[i])),
                confidence=round(float(reading.confidence[i]), SHARE_DIGITS),
                ghost=bool(ghost[i]),
                runner_up=DRUMS[reading.runner_up[i]],
                runner_up_share=round(float(reading.runner_up_share[i]), SHARE_DIGITS),
            )
            for i in place.tolist()
        )
        level_db = round(float(reading.level_db[place[0]]), LEVEL_DIGITS)
        within_s = float(reading.within_s[place[0]])
        within_ms = None if isnan(within_s) else round(1000 * within_s, WITHIN_DIGITS)
        found.append(Moment(int(frame[place[0]]), within_ms, level_db, strikes))
    return tuple(found)


def ghosts(reading: HitsReading) -> NDArray[np.bool_]:
    """Snares much softer than the loop's usual one, (hits,)."""
    snare = reading.drum == DRUMS.index("snare")
    loud = reading.velocity[snare & (reading.confidence >= 0.5)]
    if not len(loud):
        return np.zeros(len(snare), bool)
    usual = float(np.quantile(loud, 0.75))
    return np.asarray(snare & (reading.velocity < GHOST_SHARE * usual) & (reading.velocity < GHOST_BELOW))


def cut_id(frame: int) -> str:
    """Id of a cut that was read: it stays the same whatever the thresholds are."""
    return f"r{frame}"


def counted(moment: Moment, kit: Kit, loudest_db: float) -> tuple[Strike, ...]:
    """Strikes of a moment over the kit's thresholds."""
    hardest = max(s.velocity for s in moment.strikes)
    level_db = moment.level_db - loudest_db
    return tuple(
        s
        for s in moment.strikes
        if s.confidence >= kit.least_confidence
        # A hat under a kick is softer than the moment as a whole, by the square law of velocities.
        and level_db + (40 * log10(max(s.velocity, 1) / hardest) if s.velocity < hardest else 0.0)
        >= max(kit.threshold_db, kit.lane_thresholds_db.get(s.drum, kit.threshold_db))
    )


def slices_of(moments: Sequence[Moment], kit: Kit, rate: int, frames: int, silent_until: int) -> tuple[Slice, ...]:
    """The slices of a take of ``frames`` in order of time, a lead before the first cut included.

    Args:
        moments: as from ``moments_of``.
        kit: thresholds, cuts by hand, settings.
        rate: of the take, Hz.
        frames: length of the take.
        silent_until: frame before which nothing sounds; a lead that is silent is no slice.

    Raises:
        BadInput: more slices than a kit can hold.
    """
    loudest_db = max((m.level_db for m in moments), default=0.0)
    moved, away = dict(kit.moved), set(kit.away)
    cuts: list[tuple[int, str, Moment, tuple[Strike, ...], bool]] = []
    for moment in moments:
        id = cut_id(moment.frame)
        strikes = counted(moment, kit, loudest_db)
        touched = id in moved or id in kit.slices
        if id in away or not (strikes or touched):
            continue
        place = moved.get(id, moment.frame)
        cuts.append((place, id, moment, strikes, id in moved))
    cuts += [(frame, id, BY_HAND, (), True) for id, frame in kit.hand]
    cuts = sorted((c for c in cuts if 0 <= c[0] < frames), key=lambda c: c[:2])
    kept: list[tuple[int, str, Moment, tuple[Strike, ...], bool]] = []
    for cut in cuts:
        if kept and cut[0] - kept[-1][0] < max(APART_S * rate, 1):
            # Of two at one place the one by hand stays.
            kept[-1] = cut if cut[4] and not kept[-1][4] else kept[-1]
            continue
        kept.append(cut)
    if len(kept) > MOST_SLICES:
        raise BadInput(
            f"These thresholds give {len(kept)} slices.", f"At most {MOST_SLICES} fit: raise the threshold."
        )
    ends = [*(c[0] for c in kept[1:]), *([frames] if kept else [])]
    found = [
        Slice(
            id=id,
            first=first,
            last=last,
            read_frame=read.frame,
            within_ms=read.within_ms,
            level_db=read.level_db,
            strikes=as_set(strikes, kit.slices[id]) if id in kit.slices else strikes,
            by_hand=by_hand,
            settings=kit.slices.get(id, PLAIN),
        )
        for (first, id, read, strikes, by_hand), last in zip(kept, ends, strict=True)
    ]
    start = kept[0][0] if kept else frames
    if found and 0 < start <= SHORTEST_LEAD_S * rate:
        # What begins with the recording begins with its first sample.
        found[0] = replace(found[0], first=0)
    elif start > silent_until:
        found.insert(0, Slice(LEAD, 0, start, -1, None, -120.0, (), False, kit.slices.get(LEAD, PLAIN)))
    return tuple(found)


def fitting(kit: Kit, moments: Sequence[Moment]) -> Kit:
    """The kit with a threshold that fits: the softest hits make no cut where there are too many."""
    room = MOST_SLICES - len(kit.hand) - len(kit.slices) - len(kit.moved)
    levels_db = sorted((m.level_db for m in moments), reverse=True)
    if len(levels_db) <= room:
        return kit
    # Levels are told in hundredths of a decibel.
    return replace(kit, threshold_db=max(kit.threshold_db, levels_db[room] - levels_db[0] + 10.0**-LEVEL_DIGITS))


def as_set(strikes: tuple[Strike, ...], settings: SliceSettings) -> tuple[Strike, ...]:
    """Drums of a slice as set by hand; velocities stay as read, of a drum called another as of the one it was.

    Drums that were read and are named so are no longer in doubt; beside one that is called another they are as sure
    as they were.
    """
    if settings.drums is None:
        return strikes
    known = {s.drum: s for s in strikes}
    if known.keys() >= set(settings.drums):
        known = {drum: replace(s, confidence=1.0) for drum, s in known.items()}
    given_up = [s.velocity for s in strikes if s.drum not in settings.drums]
    velocity = max(given_up or [s.velocity for s in strikes], default=100)
    return tuple(known.get(d, Strike(d, d, velocity, 1.0)) for d in settings.drums)


def zero_crossing(mono: NDArray[np.float32], frame: int, reach: int) -> int:
    """The rising zero crossing nearest to a frame, the frame itself where none is in reach."""
    first, last = max(frame - reach, 1), min(frame + reach, len(mono) - 1)
    stretch = mono[first - 1 : last + 1]
    rising = np.flatnonzero((stretch[:-1] < 0) & (stretch[1:] >= 0)) + first
    return int(rising[np.abs(rising - frame).argmin()]) if len(rising) else frame
