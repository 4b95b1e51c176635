"""The engine for beats: both pairs of ears, two networks over what they hear, a row of beats, bars over them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.bars import Bars
from honest_stave.core.beat.beats_hearing import METERS, BeatActivity, hear_beats, sure_of
from honest_stave.core.beat.begun import begins_at
from honest_stave.core.beat.heard import Heard, measure_heard
from honest_stave.core.beat.lead_in import with_lead_in
from honest_stave.core.beat.level import choose_level, length_share
from honest_stave.core.beat.silences import find_silences, without_stillness
from honest_stave.core.beat.steady import on_clicks
from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.beat.track import FEWEST_BEATS, least_sounding, odds_near, track_beats
from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.hits import hearing as hits_hearing
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.pitch.tuning import measure_tuning
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare
from honest_stave.core.signal.loud_enough import loud_enough

ENGINE = "beats 15"
# The networks for beats learnt from what these hear: they stay when those for notes and for hits go on.
NOTE_EARS, DRUM_EARS = "beat_notes", "beat_drums"
# Beats whose log-odds lie under the first of these in the mean are chance, under the second where something begins on
# most of them but the first: in noise and drones nothing does, on the beats of lone melodies, which are doubtful too,
# nearly always.
LEAST_ODDS, LEAST_PLAYED_ODDS = 0.0, -1.0
HARDLY_EVER, MOSTLY = 0.1, 0.5


@dataclass(frozen=True)
class BeatsReading:
    """Beats of a take, (beats,); empty where it has none.

    Args:
        time_s: moments in the take.
        bar: 1 for the first full bar, 0 for a pickup.
        beat: place in the bar from 1; in compound meters a beat is a dotted note.
        confidence: how sure a beat lies there, 0 to 1.
        heard: whether something was heard to begin there; others were laid between those where it was.
        downbeat_confidence: how sure its place in the bar is, 0 to 1.
        meters: by bar, where they change; ``Meter.bar`` is the number of the bar.
        odds: log-odds of a beat by cell, kept for reading stretches anew.
        begun: how likely something begins by cell, kept for the same.
        starts_s: moment of the first cell's beginning in the take; before it, where silence was put there.
        runners_up: other ways to count, by name, and how likely each is.
        silences: (from s, to s) of silence between sounds.
        clicks: (beats a minute, from s, to s) of passages that were made to a click.
    """

    time_s: NDArray[np.float64]
    bar: NDArray[np.int64]
    beat: NDArray[np.int64]
    confidence: NDArray[np.float64]
    heard: NDArray[np.bool_]
    downbeat_confidence: NDArray[np.float64]
    meters: tuple[Meter, ...]
    odds: NDArray[np.float32]
    begun: NDArray[np.float32]
    starts_s: float = 0.0
    runners_up: tuple[tuple[str, float], ...] = ()
    silences: tuple[tuple[float, float], ...] = ()
    clicks: tuple[tuple[float, float, float], ...] = ()
    engine: str = ENGINE


def read(
    samples: NDArray[np.float32], rate: int, listen: ListenSettings, progress: Progress = no_progress
) -> BeatsReading:
    """Reads the beats and bars of a take.

    Args:
        samples: (frames, channels), full scale 1.
        rate: Hz.
        listen: channels, filter and stretch.
        progress: told the share done; may raise ``Stopped``.

    Raises:
        BadInput: a network is missing or damaged, or the stretch is empty.
    """
    signal, from_s = prepare(samples, rate, listen)
    signal, lead_in_s = with_lead_in(signal)
    starts_s = from_s - lead_in_s
    heard = _heard(signal, lambda share: progress(0.9 * share))
    activity = hear_beats(heard)
    sounding = heard.columns[:, -1].astype(np.float64)
    beat_s, odds = track_beats(activity, sounding)
    if len(beat_s) < FEWEST_BEATS or _is_chance(odds, begins_at(heard.begun, beat_s)):
        none = np.zeros(0)
        whole, heard_none = none.astype(int), none.astype(bool)
        return BeatsReading(none, whole, whole, none, heard_none, none, (), activity.beat, heard.begun, starts_s)
    chosen = choose_level(heard, activity, beat_s)
    beat_s, bars = chosen.beat_s, chosen.bars
    sure = sure_of(odds_near(activity, beat_s))
    for click in chosen.clicks:
        # A beat laid on a click is as sure as the click is: by how many of its beats were heard where it has them.
        inside = on_clicks(beat_s, [click])
        sure[inside & chosen.laid] = (inside & ~chosen.laid).sum() / inside.sum()
    silences = find_silences(without_stillness(sounding, signal), least_sounding(sounding))
    progress(1.0)
    return BeatsReading(
        time_s=np.maximum(beat_s + starts_s, from_s),
        bar=bars.bar,
        beat=bars.beat,
        confidence=sure,
        heard=chosen.begins & ~chosen.laid,
        downbeat_confidence=bars.confidence,
        meters=_meters(bars),
        odds=activity.beat,
        begun=heard.begun,
        starts_s=starts_s,
        runners_up=_runners_up(bars, beat_s, activity),
        silences=tuple((a + starts_s, b + starts_s) for a, b in silences),
        clicks=tuple((60 / c.beat_s, c.from_s + starts_s, c.to_s + starts_s) for c in chosen.clicks),
    )


def listen_to(samples: NDArray[np.float32], rate: int) -> Heard:
    """What the networks for beats hear of a whole take (frames, channels)."""
    signal, _ = prepare(samples, rate, ListenSettings())
    return _heard(signal, no_progress)


def _is_chance(odds: NDArray[np.float64], begins: NDArray[np.bool_]) -> bool:
    """Whether a row of beats says nothing, by the log-odds of each and by whether something begins on it."""
    played = float(begins[1:].mean())
    return played < HARDLY_EVER or float(odds.mean()) < (LEAST_PLAYED_ODDS if played >= MOSTLY else LEAST_ODDS)


def _heard(signal: NDArray[np.float32], progress: Progress) -> Heard:
    signal, _ = loud_enough(signal)
    tuning_cents, _ = measure_tuning(signal)
    bands = measure_all(signal, tuning_cents, lambda share: progress(0.4 * share))
    notes = hear(bands, lambda share: progress(0.4 + 0.3 * share), NOTE_EARS)
    # The levels are given up once they were heard.
    hits = hits_hearing.hear(
        hits_hearing.measure_levels(signal, ANALYSIS_RATE), lambda share: progress(0.7 + 0.3 * share), DRUM_EARS
    )
    return measure_heard(notes, hits, bands)


def _mean_share(odds: NDArray[np.float64]) -> float:
    return float((1 / (1 + np.exp(-odds))).mean())


def _meters(bars: Bars) -> tuple[Meter, ...]:
    """Meters where they change, a pickup counted to the bar after it."""
    found: list[Meter] = []
    for bar, beats, compound in zip(bars.bar.tolist(), bars.length.tolist(), bars.compound.tolist(), strict=True):
        numerator, denominator = (3 * beats, 8) if compound else (beats, 4)
        if not found or (
            (found[-1].numerator, found[-1].denominator) != (numerator, denominator) and bar > found[-1].bar
        ):
            found.append(Meter(bar, numerator, denominator))
    return tuple(found)


def _runners_up(bars: Bars, beat_s: NDArray[np.float64], activity: BeatActivity) -> tuple[tuple[str, float], ...]:
    """Other ways to count the same music, likeliest first."""
    usual = float(np.median(np.diff(beat_s)))
    own = max(length_share(activity, usual), 1e-3)
    lengths = {"half the tempo": 2 * usual, "twice the tempo": usual / 2}
    shares = {name: length_share(activity, length_s) for name, length_s in lengths.items()}
    found = [(name, share / (own + share)) for name, share in shares.items()]
    on, between = (_mean_share(odds_near(activity, row)) for row in (beat_s, (beat_s[1:] + beat_s[:-1]) / 2))
    found.append(("beats half a beat later", between / (on + between)))
    names = {1: "bars one beat later", len(bars.shift_share) - 1: "bars one beat earlier"}
    found += [(name, float(bars.shift_share[by])) for by, name in names.items() if 0 < by < len(bars.shift_share)]
    for (beats, compound), likely in zip(METERS, bars.meter_share.tolist(), strict=True):
        if (beats, compound) != (int(bars.length[0]), bool(bars.compound[0])):
            found.append((f"{3 * beats}/8" if compound else f"{beats}/4", likely))
    return tuple(sorted(((n, round(s, 3)) for n, s in found if s >= 0.005), key=lambda item: -item[1])[:5])
