"""Sampled instruments of free soundfonts, rendered through libfluidsynth."""

import ctypes
from dataclasses import dataclass
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
# So long the levels of a note are looked at to find its attack.
EARLY_MS = 300
# One step of a bend, in seconds: quicker than the ear follows.
BEND_STEP_S = 0.01

# Generators of a soundfont's voices by their numbers in the SF2 standard.
CUTOFF, ATTACK, RELEASE = 8, 34, 38

Sound = NDArray[np.float32]


@dataclass(frozen=True)
class Setting:
    """How an instrument is set otherwise than its font says.

    Args:
        attack, release: how much longer, in timecents (1,200 double it).
        cutoff_cents: how much higher the low-pass is.
        cents: how much higher it is tuned.
    """

    attack: float = 0.0
    release: float = 0.0
    cutoff_cents: float = 0.0
    cents: float = 0.0


AS_IT_IS = Setting()


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


def _wheel(semitones: float) -> int:
    """Pitch wheel of a bend, whose range is two semitones."""
    return int(np.clip(round(semitones * 4096), -8192, 8191))


def _set(synth, part: int, setting: Setting) -> None:
    import fluidsynth

    # Not among what the package declares.
    set_generator = fluidsynth._fl.fluid_synth_set_gen
    set_generator.argtypes = (ctypes.c_void_p, ctypes.c_int, ctypes.c_int, ctypes.c_float)
    chosen = {ATTACK: setting.attack, RELEASE: setting.release, CUTOFF: setting.cutoff_cents}
    for generator, value in chosen.items():
        set_generator(synth.synth, part, generator, value)


def render(
    font: str,
    programs: tuple[int, ...],
    performance: Performance,
    *,
    tail_s: float = 1.5,
    bends: list[tuple[float, float]] | None = None,
    bank: int = 0,
    setting: Setting = AS_IT_IS,
) -> Sound:
    """Mono sound at ``RATE``; part i of the performance is played by ``programs[i]``.

    Args:
        font: file name in Debian's folder of soundfonts.
        programs: General MIDI program of each part.
        performance: notes and pedal.
        tail_s: seconds after the last note.
        bends: moments (s) and bends (semitones, within 2) of part 0.
        bank: of the programs; 128 holds drums.
        setting: of all parts.
    """
    synth, opened = _open(font)
    for part, program in enumerate(programs):
        synth.program_select(part, opened, bank, program)
        synth.cc(part, 64, 0)
        synth.pitch_bend(part, _wheel(setting.cents / 100))
        _set(synth, part, setting)
    events: list[tuple[float, int, int, int, int]] = []
    for note in performance.notes:
        events.append((note.onset_s, 2, note.part, note.pitch, note.velocity))
        events.append((note.offset_s, 1, note.part, note.pitch, 0))
    for down_s, up_s in performance.pedal:
        events += [(down_s, 3, part, 64, 127) for part in range(len(programs))]
        events += [(up_s, 3, part, 64, 0) for part in range(len(programs))]
    events += [(time_s, 0, 0, _wheel(semitones + setting.cents / 100), 0) for time_s, semitones in bends or ()]
    blocks, now = [], 0
    for time_s, kind, part, value, strength in sorted(events):
        place = round(time_s * RATE)
        if place > now:
            blocks.append(_take(synth, place - now))
            now = place
        if kind == 0:
            synth.pitch_bend(0, value)
        elif kind == 1:
            synth.noteoff(part, value)
        elif kind == 2:
            synth.noteon(part, value, strength)
        else:
            synth.cc(part, value, strength)
    blocks.append(_take(synth, round(tail_s * RATE)))
    for part in range(len(programs)):
        synth.all_sounds_off(part)
        _set(synth, part, AS_IT_IS)
    _take(synth, 64)
    return np.concatenate(blocks)


@lru_cache(maxsize=4096)
def attack_delay_s(font: str, program: int, pitch: int, velocity: int) -> float:
    """Seconds from key to the moment at which the note alone reaches 40 % of its early peak."""
    note = Struck(0.0, 0.25, pitch, velocity)
    return attack.attack_delay_s(render(font, (program,), Performance((note,)), tail_s=0.02), RATE)


@lru_cache(maxsize=65536)
def early_levels(font: str, program: int, pitch: int, velocity: int, setting: Setting) -> Sound:
    """Amplitude of each of the first milliseconds of a note that sounds alone, (``EARLY_MS``,)."""
    note = Performance((Struck(0.0, 0.25, pitch, velocity),))
    step = RATE // 1000
    sound = np.abs(render(font, (program,), note, tail_s=0.1, setting=setting)[: EARLY_MS * step])
    return sound.reshape(EARLY_MS, step).max(axis=1)


def near(note: Struck) -> tuple[int, int]:
    """Pitch and velocity near by, for which attacks are measured."""
    return int(np.clip(3 * round(note.pitch / 3), 0, 127)), (45, 80, 112)[int(np.digitize(note.velocity, [62, 96]))]


def heard_onset_s(font: str, program: int, note: Struck) -> float:
    """When ``note`` is heard to begin; measured for pitch and velocity near by."""
    return note.onset_s + attack_delay_s(font, program, *near(note))
