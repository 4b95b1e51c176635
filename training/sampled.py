"""Sampled instruments of free soundfonts, rendered through libfluidsynth."""

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from training import attack
from training.performance import Performance, Struck

RATE = 44100
SOUNDFONTS = Path("/usr/share/sounds/sf2")
# The General MIDI bank of csound is kept out of training, for tuning and calibration.
TRAINED_FONTS = ("FluidR3_GM.sf2", "FluidR3_GM.sf2", "TimGM6mb.sf2", "TimGM6mb.sf2", "OPL-3_FM_128M.sf2")
TUNING_FONT = "sf_GMbank.sf2"
# One step of a bend, in seconds: quicker than the ear follows.
BEND_STEP_S = 0.01

Sound = NDArray[np.float32]


@lru_cache(maxsize=4)
def _open(font: str):
    import fluidsynth

    synth = fluidsynth.Synth(gain=0.3, samplerate=float(RATE))
    synth.setting("synth.reverb.active", 0)
    synth.setting("synth.chorus.active", 0)
    synth.setting("synth.polyphony", 256)
    return synth, synth.sfload(str(SOUNDFONTS / font))


def _take(synth, samples: int) -> Sound:
    raw = np.asarray(synth.get_samples(samples), np.int16).reshape(-1, 2)
    return raw.astype(np.float32).mean(axis=1) / 32768.0


def render(
    font: str,
    programs: tuple[int, ...],
    performance: Performance,
    *,
    tail_s: float = 1.5,
    bends: list[tuple[float, float]] | None = None,
    bank: int = 0,
) -> Sound:
    """Mono sound at ``RATE``; part i of the performance is played by ``programs[i]``.

    Args:
        font: file name in Debian's folder of soundfonts.
        programs: General MIDI program of each part.
        performance: notes and pedal.
        tail_s: seconds after the last note.
        bends: moments (s) and bends (semitones, within 2) of part 0.
        bank: of the programs; 128 holds drums.
    """
    synth, opened = _open(font)
    for part, program in enumerate(programs):
        synth.program_select(part, opened, bank, program)
        synth.cc(part, 64, 0)
        synth.pitch_bend(part, 0)
    events: list[tuple[float, int, int, int, int]] = []
    for note in performance.notes:
        events.append((note.onset_s, 2, note.part, note.pitch, note.velocity))
        events.append((note.offset_s, 1, note.part, note.pitch, 0))
    for down_s, up_s in performance.pedal:
        events += [(down_s, 3, part, 64, 127) for part in range(len(programs))]
        events += [(up_s, 3, part, 64, 0) for part in range(len(programs))]
    events += [(time_s, 0, 0, round(semitones * 4096), 0) for time_s, semitones in bends or ()]
    blocks, now = [], 0
    for time_s, kind, part, value, strength in sorted(events):
        place = round(time_s * RATE)
        if place > now:
            blocks.append(_take(synth, place - now))
            now = place
        if kind == 0:
            synth.pitch_bend(0, int(np.clip(value, -8192, 8191)))
        elif kind == 1:
            synth.noteoff(part, value)
        elif kind == 2:
            synth.noteon(part, value, strength)
        else:
            synth.cc(part, value, strength)
    blocks.append(_take(synth, round(tail_s * RATE)))
    for part in range(len(programs)):
        synth.all_sounds_off(part)
    _take(synth, 64)
    return np.concatenate(blocks)


@lru_cache(maxsize=4096)
def attack_delay_s(font: str, program: int, pitch: int, velocity: int) -> float:
    """Seconds from key to the moment at which the note alone reaches 40 % of its early peak."""
    note = Struck(0.0, 0.25, pitch, velocity)
    return attack.attack_delay_s(render(font, (program,), Performance((note,)), tail_s=0.02), RATE)


def heard_onset_s(font: str, program: int, note: Struck) -> float:
    """When ``note`` is heard to begin; measured for pitch and velocity near by."""
    near_pitch = int(np.clip(3 * round(note.pitch / 3), 0, 127))
    near_velocity = (45, 80, 112)[int(np.digitize(note.velocity, [62, 96]))]
    return note.onset_s + attack_delay_s(font, program, near_pitch, near_velocity)
