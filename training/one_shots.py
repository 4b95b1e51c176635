"""Single strokes of drums from free kits and from soundfonts, with what they are."""

import re
import xml.etree.ElementTree as ElementTree
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from training import sampled
from training.performance import Performance, Struck

RATE = sampled.RATE
KITS = Path("/usr/share/hydrogen/data/drumkits")
# In no training: what is weighed after the networks is fitted on it.
TUNING_KITS = ("VariBreaks",)
# The last two lie there where more of Debian is installed: one measures, the other is trained on by another name.
NOT_TRAINED = (*TUNING_KITS, "TR808EmulationKit", "GMRockKit")
# Programs of a soundfont share most of their drums, these kits hardly any: each stands for so many.
FOLDER_WEIGHT = 3
TRAINED_FONTS = {
    "FluidR3_GM.sf2": (0, 8, 16, 24, 25, 32, 40), "TimGM6mb.sf2": (0, 8, 16, 24, 25, 32, 40),
    "OPL-3_FM_128M.sf2": (0,), "Red_Zeppelin_4_LV2.sf2": (0,), 
}  # fmt: skip
DRUMS_IN_BANK_0 = ("Red_Zeppelin_4_LV2.sf2", "Black_Pearl_4_LV2.sf2")
DRUMS = ("kick", "snare", "hat", "tom", "cymbal", "other")
# Roles a pattern asks for; "unclear" strokes train that something is struck, and no class.
BY_GM_NOTE = {
    35: "kick", 36: "kick", 37: "rim", 38: "snare", 39: "clap", 40: "snare", 41: "tom", 42: "hat", 43: "tom",
    44: "pedal hat", 45: "tom", 46: "open hat", 47: "tom", 48: "tom", 49: "crash", 50: "tom", 51: "ride",
    53: "ride", 54: "other", 55: "crash", 56: "other", 57: "crash", 59: "ride", 60: "hand", 61: "hand", 62: "hand",
    63: "hand", 64: "hand", 69: "other", 70: "other", 75: "other", 76: "other", 82: "other",
}  # fmt: skip
CLASS_OF_ROLE = {
    "kick": "kick", "snare": "snare", "hat": "hat", "open hat": "hat", "pedal hat": "hat", "tom": "tom",
    "ride": "cymbal", "crash": "cymbal", "other": "other", "rim": "", "clap": "", "hand": "",
}  # fmt: skip
BY_WORD = (
    (r"roll|swish|choke|zap|fx|whistle|noise|click|redo|^drum \d|breaks drum|hat free", None),
    # Bells of wood and iron are no cymbals, and a tambourine at the pedal is no hat.
    (r"cowbell|agogo|(sangban|dununba|kenkeni)\d bell|tamb|maraca|shak|clave|wood|glass|triang", "other"),
    (r"clap|snap", "clap"), (r"snare.*rimshot", "snare"), (r"stick|rim", "rim"),
    (r"kick|bass ?drum|^bd", "kick"), (r"snare|^sd", "snare"),
    (r"pedal|hat \d pd", "pedal hat"), (r"open|ohh|hat.* op\b|opened", "open hat"), (r"hat|hh|hi-hat", "hat"),
    # Not a custom ride.
    (r"(?<!cus)tom", "tom"), (r"ride|bell", "ride"), (r"crash|cymbal|splash|china", "crash"),
    (r"bongo|conga|djembe|sangban|dunun|kenkeni|cajon", "hand"),
)  # fmt: skip
LONGEST_S = 1.6


@dataclass(frozen=True)
class OneShot:
    """One stroke: sound with its attack at sample 0, role, how hard (0 to 1) it was struck."""

    sound: NDArray[np.float32]
    role: str
    strength: float


Kit = dict[str, list[OneShot]]


def attack_sample(sound: NDArray[np.float32]) -> int:
    """Where the sound first reaches a tenth of the peak of its first 30 ms of sound."""
    level = np.abs(sound)
    loud = np.flatnonzero(level > 0.02 * level.max())
    if not len(loud):
        return 0
    first = int(loud[0])
    peak = float(level[first : first + round(0.03 * RATE)].max())
    return first + int(np.argmax(level[first:] >= 0.1 * peak))


def one_shot(sound: NDArray[np.float32], role: str, strength: float) -> OneShot | None:
    """A stroke cut to its attack, None where there is nothing to hear."""
    if float(np.abs(sound).max(initial=0.0)) < 1e-3:
        return None
    first = max(0, attack_sample(sound) - 4)
    cut = sound[first : first + round(LONGEST_S * RATE)].astype(np.float32).copy()
    tail = min(len(cut), round(0.05 * RATE))
    cut[len(cut) - tail :] *= np.linspace(1, 0, tail, dtype=np.float32)
    return OneShot(cut, role, strength)


def role_of_name(name: str) -> str | None:
    """The role that an instrument's name tells, None where it tells none."""
    for words, role in BY_WORD:
        if re.search(words, name.lower()):
            return role
    return None


def sound_of_file(path: Path) -> NDArray[np.float32]:
    """A file's sound, mono at ``RATE``."""
    sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
    mono = soxr.resample(sound.mean(axis=1), rate, RATE) if rate != RATE else sound.mean(axis=1)
    return np.asarray(mono, np.float32)


@lru_cache(maxsize=40)
def kit_of_folder(folder: Path) -> Kit:
    """A kit as Debian's collection describes them."""
    kit: Kit = {}
    # Some of these files stand in a namespace, some do not.
    text = re.sub(r'\sxmlns(:\w+)?="[^"]*"', "", (folder / "drumkit.xml").read_text("utf-8", "replace"))
    for instrument in ElementTree.fromstring(re.sub(r"<\?xml[^>]*\?>", "", text)).iter("instrument"):
        role = role_of_name(instrument.findtext("name", ""))
        if role is None:
            continue
        # The oldest kits have one sound an instrument and no layers.
        for layer in list(instrument.iter("layer")) or [instrument]:
            path = folder / layer.findtext("filename", "")
            if not path.is_file():
                continue
            found = one_shot(sound_of_file(path), role, float(layer.findtext("max", "1")))
            if found:
                kit.setdefault(role, []).append(found)
    return kit


@lru_cache(maxsize=40)
def kit_of_font(font: str, program: int) -> Kit:
    """A kit of a soundfont, each drum at several strengths."""
    kit: Kit = {}
    for pitch, role in BY_GM_NOTE.items():
        for velocity in (30, 60, 90, 120):
            struck = Performance((Struck(0.05, 0.6, pitch, velocity),))
            bank = 0 if font in DRUMS_IN_BANK_0 else 128
            sound = sampled.render(font, (program,), struck, tail_s=LONGEST_S, bank=bank)
            found = one_shot(sound, role, velocity / 127)
            if found:
                kit.setdefault(role, []).append(found)
    return kit


def trained_kits() -> list[Kit]:
    """Every kit that may be trained on."""
    folders = [kit_of_folder(p) for p in sorted(KITS.iterdir()) if p.name not in NOT_TRAINED]
    kits = FOLDER_WEIGHT * folders
    kits += [kit_of_font(font, program) for font, programs in TRAINED_FONTS.items() for program in programs]
    return [k for k in kits if k]
