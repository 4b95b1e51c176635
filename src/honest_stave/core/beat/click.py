"""The click of a beat map: when it sounds, how, and as a recording or as notes."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import BeatMap, ClickFrom, places_of, stops_of
from honest_stave.core.errors import BadInput
from honest_stave.core.sound.click_sounds import CLICK_SOUNDS, click_hz

RATE = 44100
ACCENT_LEVEL, BEAT_LEVEL, BETWEEN_LEVEL = 0.8, 0.55, 0.25
LENGTH_S = 0.25
# General MIDI keys: high and low wood block, claves between beats.
KEYS = {"accent": 76, "beat": 77, "between": 75}


@dataclass(frozen=True)
class Tick:
    """One click: moment (s), ``accent``, ``beat`` or ``between``, sound, and level in dB."""

    time_s: float
    kind: str
    sound: str
    level_db: float


def ticks_of(beat_map: BeatMap) -> list[Tick]:
    """All clicks of a map, in order.

    Raises:
        BadInput: a click has a sound or a subdivision that is not there.
    """
    places = places_of(beat_map)
    held = {h.beat: h.written_beats for h in beat_map.holds}
    times = [b.time_s for b in beat_map.beats]
    stops = stops_of(beat_map)
    found: list[Tick] = []
    for i, time_s in enumerate(times):
        click = _click_at(beat_map, i)
        kind = "accent" if places.downbeat[i] and click.accent else "beat"
        found.append(Tick(time_s, kind, click.sound, click.level_db))
        if i + 1 == len(times):
            break
        step_s = times[i + 1] - time_s
        if i in held:
            if click.in_holds == "count" and i:
                # A hold is counted through at the tempo before it.
                pace_s = times[i] - times[i - 1]
                counted = np.arange(1, int(step_s / pace_s - 0.5) + 1)
                found += [Tick(time_s + k * pace_s, "between", click.sound, click.level_db) for k in counted.tolist()]
            continue
        divided = i + np.arange(1, click.subdivision) / click.subdivision
        between_s = np.interp(divided, stops.place, stops.time_s).tolist()
        found += [Tick(t, "between", click.sound, click.level_db) for t in between_s]
    return found


def _click_at(beat_map: BeatMap, beat: int) -> ClickFrom:
    return next((c for c in reversed(beat_map.clicks) if c.beat <= beat), ClickFrom(0))


def check_click(click: ClickFrom) -> ClickFrom:
    """The click itself, or an error of ours.

    Raises:
        BadInput: its sound, subdivision, level or way in holds is not there.
    """
    if click.sound not in CLICK_SOUNDS:
        raise BadInput(f"There is no click called {click.sound!r}.", f"Choose of {', '.join(CLICK_SOUNDS)}.")
    if not 1 <= click.subdivision <= 8:
        raise BadInput(f"A beat is not divided in {click.subdivision}.", "Choose 1 to 8.")
    if click.in_holds not in ("rest", "count") or not -60 <= click.level_db <= 6:
        raise BadInput("This click cannot be.", "It rests or counts in holds, at -60 to 6 dB.")
    return click


def render_click(ticks: list[Tick], length_s: float) -> NDArray[np.float32]:
    """The clicks as a recording at ``RATE``, (frames,), as long as asked."""
    out = np.zeros(round(length_s * RATE), np.float32)
    for tick in ticks:
        sound = _sound(tick.sound, tick.kind) * np.float32(10 ** (tick.level_db / 20))
        first = round(tick.time_s * RATE)
        if first < 0:
            continue
        piece = out[first : first + len(sound)]
        piece += sound[: len(piece)]
    return np.clip(out, -1.0, 1.0, out=out)


def _sound(name: str, kind: str) -> NDArray[np.float32]:
    hz, partials = click_hz(name, kind), CLICK_SOUNDS[name][1]
    level = {"accent": ACCENT_LEVEL, "beat": BEAT_LEVEL, "between": BETWEEN_LEVEL}[kind]
    since = np.arange(round(LENGTH_S * RATE)) / RATE
    wave = sum(g * np.cos(2 * np.pi * ratio * hz * since) * np.exp(-since / dies) for ratio, g, dies in partials)
    return np.asarray(level * wave / sum(g for _, g, _ in partials), np.float32)
