"""Makes lines with known truth from freely licensed soundfonts, to measure and fit on.

Random tunes of our own (steps, leaps, repeated notes, rests; legato to staccato), human
timing and dynamics, rendered by fluidsynth, then some room, noise and hum. The truth's
onset is where the note alone reaches 40 % of its early peak, measured on a rendering in
which every note stands alone. Needs Debian's fluidsynth and the soundfonts named.

    python bench/lines.py OUT --soundfont FILE.sf2 --clips 24 --seed 1
"""

import argparse
import json
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import soundfile
from scipy import signal as dsp

RATE = 44100
# General MIDI programs that play single lines, with a comfortable lowest and highest pitch.
PROGRAMS = {
    0: (40, 88), 4: (40, 88), 6: (43, 84), 11: (55, 88), 12: (50, 90), 13: (62, 90), 16: (40, 84),
    19: (48, 84), 21: (48, 84), 22: (55, 86), 24: (43, 79), 25: (43, 79), 26: (43, 80), 27: (43, 80),
    28: (43, 76), 29: (43, 80), 30: (43, 80), 32: (28, 55), 33: (28, 55), 34: (28, 55), 35: (28, 55),
    36: (28, 55), 38: (28, 55), 39: (28, 55), 40: (57, 90), 41: (50, 80), 42: (38, 70), 43: (30, 55),
    45: (45, 80), 46: (45, 88), 48: (45, 80), 52: (48, 76), 53: (50, 76), 56: (55, 82), 57: (42, 70),
    58: (30, 58), 59: (55, 80), 60: (43, 74), 64: (56, 84), 65: (51, 80), 66: (46, 75), 67: (38, 66),
    68: (60, 86), 69: (54, 80), 70: (36, 68), 71: (52, 86), 72: (76, 100), 73: (62, 92), 74: (62, 92),
    75: (60, 90), 78: (65, 92), 79: (62, 88), 80: (45, 85), 81: (40, 85), 82: (50, 85), 104: (45, 80),
    105: (50, 80), 106: (50, 80), 107: (50, 80), 108: (55, 84), 110: (55, 88), 111: (58, 84),
}  # fmt: skip


@dataclass(frozen=True)
class Struck:
    """One note of a made-up performance."""

    onset_s: float
    offset_s: float
    pitch: int
    velocity: int


def make_tune(random: np.random.Generator, low: int, high: int, length_s: float) -> list[Struck]:
    """A tune of ``length_s`` within two octaves of the range, in a random scale and manner."""
    scales = ([0, 2, 4, 5, 7, 9, 11], [0, 2, 3, 5, 7, 8, 10], [0, 2, 4, 7, 9])
    scale = scales[int(random.integers(3))]
    tonic, base = int(random.integers(12)), int(random.integers(low, max(low + 1, high - 18)))
    pool = [p for p in range(base, min(base + 20, high) + 1) if (p - tonic) % 12 in scale]
    unit_s = float(random.uniform(0.11, 0.26))
    held = float(random.choice([1.0, 0.97, 0.85, 0.5]))
    place = int(random.integers(len(pool)))
    notes: list[Struck] = []
    time_s = 0.3
    while time_s < length_s:
        units = int(random.choice([1, 1, 2, 2, 3, 4]))
        if random.random() < 0.06:
            time_s += units * unit_s
            continue
        step = int(random.choice([0, 1, 1, 1, 2, 3, 4])) * int(random.choice([-1, 1]))
        place = int(np.clip(place + step, 0, len(pool) - 1))
        onset_s = time_s + float(random.normal(0, 0.006))
        same = bool(notes) and notes[-1].pitch == pool[place]
        if same and notes[-1].offset_s > onset_s - 0.008:
            last = notes.pop()
            notes.append(Struck(last.onset_s, onset_s - 0.008, last.pitch, last.velocity))
        velocity = int(np.clip(random.normal(84, 12), 35, 120))
        notes.append(Struck(onset_s, onset_s + max(0.06, units * unit_s * held), pool[place], velocity))
        time_s += units * unit_s
    return notes


def render(notes: list[Struck], program: int, soundfont: Path, folder: Path) -> np.ndarray:
    """Mono rendering of ``notes`` by fluidsynth, without effects."""
    midi = mido.MidiFile(ticks_per_beat=960)
    track = mido.MidiTrack([mido.Message("program_change", program=program)])
    events = [(n.onset_s, 1, n.pitch, n.velocity) for n in notes] + [(n.offset_s, 0, n.pitch, 0) for n in notes]
    last_tick = 0
    for time_s, kind, pitch, velocity in sorted(events):
        tick = round(time_s * 1920)
        track.append(
            mido.Message("note_on" if kind else "note_off", note=pitch, velocity=velocity, time=tick - last_tick)
        )
        last_tick = tick
    midi.tracks.append(track)
    midi.save(folder / "line.mid")
    command = ["fluidsynth", "-ni", "-R", "0", "-C", "0", "-g", "0.6", "-r", str(RATE), "-F", "line.wav"]
    subprocess.run([*command, str(soundfont), "line.mid"], cwd=folder, check=True, capture_output=True)
    samples, _ = soundfile.read(folder / "line.wav", dtype="float32", always_2d=True)
    return samples.mean(axis=1)


def attack_delays(notes: list[Struck], program: int, soundfont: Path, folder: Path) -> dict[tuple[int, int], float]:
    """Seconds from key to 40 % of the early peak, by pitch and velocity."""
    kinds = sorted({(n.pitch, n.velocity) for n in notes})
    alone = [Struck(1 + 2.0 * i, 1.3 + 2.0 * i, p, v) for i, (p, v) in enumerate(kinds)]
    sound = render(alone, program, soundfont, folder)
    delays = {}
    for note in alone:
        first = round(note.onset_s * RATE)
        envelope = np.maximum.accumulate(np.abs(sound[first : first + round(0.2 * RATE)]))
        reached = np.flatnonzero(envelope >= 0.4 * envelope[-1]) if len(envelope) and envelope[-1] > 0 else []
        delays[note.pitch, note.velocity] = float(reached[0] / RATE) if len(reached) else 0.0
    return delays


def dress(sound: np.ndarray, random: np.random.Generator) -> np.ndarray:
    """Room on a third of the clips, noise and hum on another third; peak at -3 dB."""
    kind = random.random()
    sound = sound / max(float(np.abs(sound).max()), 1e-6)
    if kind < 0.33:
        tail_s = float(random.uniform(0.4, 1.4))
        time = np.arange(round(tail_s * RATE)) / RATE
        room = random.normal(size=len(time)) * np.exp(-6.9 * time / tail_s)
        wet = dsp.fftconvolve(sound, room)[: len(sound)]
        sound = sound + float(random.uniform(0.1, 0.3)) * wet / max(float(np.abs(wet).max()), 1e-6)
    elif kind < 0.66:
        level = 10 ** (float(random.uniform(-60, -38)) / 20)
        hum = np.sin(2 * np.pi * 50 * np.arange(len(sound)) / RATE)
        sound = sound + level * random.normal(size=len(sound)) + 0.5 * level * hum
    return (0.7 * sound / np.abs(sound).max()).astype(np.float32)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path)
    parser.add_argument("--soundfont", type=Path, required=True)
    parser.add_argument("--clips", type=int, default=24)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    options.out.mkdir(parents=True, exist_ok=True)
    random = np.random.default_rng(options.seed)
    programs = random.permutation(list(PROGRAMS))[: options.clips]
    for i, program in enumerate(programs.tolist()):
        notes = make_tune(random, *PROGRAMS[program], length_s=12.0)
        with tempfile.TemporaryDirectory() as folder:
            delays = attack_delays(notes, program, options.soundfont, Path(folder))
            sound = dress(render(notes, program, options.soundfont, Path(folder)), random)
        name = options.out / f"{i:02d}-program{program:03d}"
        soundfile.write(name.with_suffix(".flac"), sound, RATE)
        truth = [
            {
                "onset_s": n.onset_s + delays[n.pitch, n.velocity],
                "offset_s": max(n.offset_s, n.onset_s + delays[n.pitch, n.velocity] + 0.02),
                "pitch": n.pitch,
                "velocity": n.velocity,
            }
            for n in notes
        ]
        name.with_suffix(".json").write_text(json.dumps({"notes": truth}))


if __name__ == "__main__":
    main()
