"""A beat map handed on: tempo map as MIDI, click, padded recording, tables; and its proof."""

import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import Beat, BeatMap, Between, places_of, stops_of, tempo_map_of
from honest_stave.core.beat.click import KEYS, RATE, Tick, render_click, ticks_of
from honest_stave.core.beat.map_tempo import felt_bpm_of
from honest_stave.core.formats.midi_read import TickClock, read_midi
from honest_stave.core.formats.midi_write import MidiSettings, WrittenPart, file_grid, write_midi
from honest_stave.core.formats.wav_write import write_wav
from honest_stave.core.part.events import Sounding

# A pin read back from the file may lie this far from its moment, over an hour.
WORST_PIN_S = 0.001
# The click's attack is found in its recording within this of the map.
WORST_CLICK_S = 0.001
CLICK_NOTE_S = 0.05
# Frames of a recording handed on at once.
BLOCK_FRAMES = 1 << 18
VELOCITY = {"accent": 112, "beat": 88, "between": 52}


@dataclass(frozen=True)
class MapProof:
    """What the files say when they are read back.

    Args:
        pins, beats: how many were compared.
        worst_pin_ms, worst_beat_ms: largest distance from the map.
        clicks: clicks found again in the recording of the click, of how many.
        worst_click_ms: their largest distance.
        empty_tracks: tracks of the file without anything in them.
        same: whether all of it agrees.
    """

    pins: int
    beats: int
    worst_pin_ms: float
    worst_beat_ms: float
    clicks: tuple[int, int]
    worst_click_ms: float
    empty_tracks: int
    same: bool


def click_notes(ticks: list[Tick]) -> tuple[Sounding, ...]:
    """The click as drum notes, heard and written alike: its level is in their velocities."""
    return tuple(
        Sounding(f"click {i}", t.time_s, t.time_s + CLICK_NOTE_S, KEYS[t.kind], _velocity(t))
        for i, t in enumerate(ticks)
    )


def _velocity(tick: Tick) -> int:
    # Instruments sound with the square of the velocity.
    return int(np.clip(round(VELOCITY[tick.kind] * 10 ** (tick.level_db / 40)), 1, 127))


def map_as_midi(beat_map: BeatMap, start_s: float, *, with_click: bool, parts: tuple[WrittenPart, ...] = ()) -> bytes:
    """The tempo map as a MIDI file that begins at ``start_s``, with no track that is empty."""
    written = list(parts)
    if with_click:
        ticks = [t for t in ticks_of(beat_map) if t.time_s >= start_s]
        written.append(WrittenPart("Click", None, click_notes(ticks), percussion=True))
    end_s = beat_map.beats[-1].time_s
    settings = MidiSettings(start_s=start_s, end_s=end_s, title=beat_map.name)
    return write_midi(written, tempo_map_of(beat_map), settings)


def click_as_wav(beat_map: BeatMap, length_s: float) -> bytes:
    """The click as a WAV file that runs beside the take, a cue on each bar."""
    places = places_of(beat_map)
    cues = [
        (round(b.time_s * RATE), f"bar {bar}")
        for b, bar, begins in zip(beat_map.beats, places.bar.tolist(), places.downbeat.tolist(), strict=True)
        if begins and 0 <= b.time_s < length_s
    ]
    return write_wav(render_click(ticks_of(beat_map), length_s)[:, None], RATE, cues)


def beats_as_csv(beat_map: BeatMap) -> str:
    """Every beat, and every pin between beats: bar, beat, position, moment, what was heard, tempo, how sure."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["bar", "beat", "position_quarters", "time_s", "heard_s", "felt_bpm", "confidence", "pinned"])
    places = places_of(beat_map)
    bpm = [*(f"{tempo:.4f}" for tempo in felt_bpm_of(beat_map)), ""]
    told: list[tuple[int, float, Beat | Between, str]] = [
        (i, 0.0, b, tempo) for i, (b, tempo) in enumerate(zip(beat_map.beats, bpm, strict=True))
    ]
    told += [(b.beat, b.share, b, "") for b in beat_map.between if b.pinned]
    for i, share, b, tempo in sorted(told, key=lambda row: row[:2]):
        position = np.interp(i + share, np.arange(len(beat_map.beats)), places.position)
        heard = "" if b.heard_s is None else f"{b.heard_s:.6f}"
        rows.writerow(
            [int(places.bar[i]), f"{places.beat[i] + round(share, 4):g}", f"{position:.6f}", f"{b.time_s:.6f}", heard,
             tempo, f"{b.confidence:.3f}", int(b.pinned)]
        )  # fmt: skip
    return out.getvalue()


def beats_as_labels(beat_map: BeatMap) -> str:
    """Beats and markers as label text: start, end, name, in seconds."""
    places = places_of(beat_map)
    rows = [
        (b.time_s, f"{bar}.{beat}")
        for b, bar, beat in zip(beat_map.beats, places.bar.tolist(), places.beat.tolist(), strict=True)
    ]
    rows += [(m.time_s, m.name) for m in beat_map.markers]
    return "".join(f"{t:.6f}\t{t:.6f}\t{name}\n" for t, name in sorted(rows))


def from_a_bar(
    samples: NDArray[np.float32], rate: int, beat_map: BeatMap
) -> tuple[Iterator[NDArray[np.float32]], int]:
    """The recording padded with silence, or cut, so that it begins exactly on a bar: blocks, and that bar's frame.

    It is padded up to the bar before its first sound where the recording begins inside a bar.
    """
    tempo_map = tempo_map_of(beat_map)
    bar = tempo_map.bar_index(float(tempo_map.beats_at(0.0)))
    first = round(float(tempo_map.seconds_at(tempo_map.bar_start(bar))) * rate)
    silence = np.zeros((max(-first, 0), samples.shape[1]), np.float32)
    starts = range(max(first, 0), len(samples), BLOCK_FRAMES)
    return chain([silence], (samples[start : start + BLOCK_FRAMES] for start in starts)), first


def prove_map(beat_map: BeatMap, midi: bytes, start_s: float, click_wav: NDArray[np.float32] | None) -> MapProof:
    """Reads the written map back and compares the moment of each pin and beat; finds the clicks in their sound.

    Args:
        beat_map: what was written.
        midi: the file.
        start_s: moment of the take at its beginning.
        click_wav: the recording of the click as written, (frames,), or None.
    """
    file = read_midi(midi)
    clock = TickClock(file)
    grid = file_grid(tempo_map_of(beat_map), start_s)
    stops = stops_of(beat_map)
    written = stops.time_s >= start_s
    apart = np.array([abs(clock.seconds(grid.tick(t)) + start_s - t) for t in stops.time_s[written].tolist()])
    pinned, beats = stops.pinned[written], stops.place[written] % 1 == 0
    empty = sum(not track.messages and not track.metas for track in file.tracks)
    found, expected, worst_s = 0, 0, 0.0
    if click_wav is not None:
        ticks = [t for t in ticks_of(beat_map) if 0 <= t.time_s < len(click_wav) / RATE - 0.01]
        expected = len(ticks)
        moments = attacks_of_click(click_wav)
        for tick in ticks:
            near = float(np.abs(moments - tick.time_s).min(initial=np.inf))
            found += near <= WORST_CLICK_S
            worst_s = max(worst_s, near)
    worst_pin = float(apart[pinned].max(initial=0.0))
    worst = float(apart.max(initial=0.0))
    same = max(worst, worst_pin) <= WORST_PIN_S and found == expected and not empty
    return MapProof(
        int(pinned.sum()),
        int(beats.sum()),
        1e3 * worst_pin,
        1e3 * worst,
        (found, expected),
        1e3 * min(worst_s, 9.999),
        empty,
        same,
    )


def attacks_of_click(sound: NDArray[np.float32]) -> NDArray[np.float64]:
    """Moments (s) at which clicks begin in a recording of clicks, to the sample.

    A click begins where the sample leaps against the ten milliseconds before it.
    """
    window = round(0.0025 * RATE)
    rows = sound[: len(sound) // window * window].reshape(-1, window)
    blocks = np.maximum(rows.max(axis=1), -rows.min(axis=1)).astype(np.float64)
    before = np.maximum.reduce([np.append(np.zeros(k), blocks[: len(blocks) - k]) for k in (1, 2)])
    starts: list[int] = []
    for block in np.flatnonzero(blocks > 1.6 * before + 1e-3).tolist():
        first = max(block * window - window, 0)
        leap = np.abs(np.diff(sound[max(first - 1, 0) : (block + 1) * window].astype(np.float64), prepend=0.0))
        place = max(first - 1, 0) + int(leap.argmax())
        if not starts or place - starts[-1] > 2 * window:
            starts.append(place)
    return np.array(starts, float) / RATE
