"""Which reading suits a take: one voice, many voices, drums, or a mix of drums and pitches.

A few stretches are listened to; measures of them are weighed by a softmax that was fitted with the network (see
training/README.md). Where hardly a pitch is sure, drums are told from a mix by two measures of their own.
"""

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch.activity import CELL_S, FRAMES_PER_CELL, Activity
from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.bare_bass import is_bare_bass, with_overtones
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.pitch.kind_measures import held_and_begun, measures, over_all, weighed
from honest_stave.core.signal.listen import ListenSettings, prepare
from honest_stave.core.signal.loud_enough import loud_enough

KindName = Literal["one", "many", "drums", "mix"]
KINDS: tuple[KindName, ...] = ("one", "many", "drums", "mix")
# So many stretches of this length are listened to, spread over the take.
STRETCHES, STRETCH_S = 5, 8.0
# A line on three pitches or more rarely has more on the two commonest; a drum has all.
SURELY_TWO = 0.85


@dataclass(frozen=True)
class Kind:
    """What a take seems to hold.

    Args:
        name: the likeliest kind.
        confidence: its share.
        shares: of all ``KINDS``, in their order.
        overlapping: share of the sounding time in which two pitches or more sound.
        overtones: that share again, of what counts as one voice because only its overtones sound over it.
        strokes_a_second: strokes without a pitch.
        bright_a_second: strokes that are heard over 5 kHz, soft ones counted half.
        of_two_pitches: share of all beginnings of pitches that the two commonest have, 0 where none begins.
    """

    name: KindName
    confidence: float
    shares: tuple[float, ...]
    overlapping: float
    overtones: float
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


def kind_of(measured: NDArray[np.float64], constants: dict[str, Any]) -> Kind:
    """The judgement of measures, (11,), by fitted weights and intercepts of the kinds, and of a mix against drums."""
    logits = np.array(constants["weights"]) @ weighed(measured) + np.array(constants["intercepts"])
    shares = np.exp(logits - logits.max())
    shares /= shares.sum()
    # Where pitches sound surely they tell a mix from drums, where none does what is held tells; it is drums alone
    # only as far as the softmax says so too, for a line that sounds now and then holds little.
    held = np.array(constants["mix_weights"]) @ held_and_begun(measured) + constants["mix_intercept"]
    voiced, struck = measured[2], shares[-2:].sum()
    alone = struck / (1 + np.exp(voiced * (logits[-1] - logits[-2]) + (1 - voiced) * held))
    shares[-2] = min(shares[-2], alone)
    shares[-1] = struck - shares[-2]
    best = int(shares.argmax())
    overlapping, overtones, strokes, commonest, bright = (float(measured[i]) for i in (0, 10, 5, 6, 7))
    of_two = 0.0 if np.isnan(commonest) else commonest
    told = overlapping, overtones, strokes, bright, of_two
    return Kind(KINDS[best], float(shares[best]), tuple(shares.tolist()), *told)
