"""Drum kits in no training: what is weighed after the networks is fitted on loops of them.

A kit that was put together by others may hold recordings that a trained kit holds too. Every
stroke of these kits was compared with every trained one (levels over 64 bands and 240 ms; the
same where they differ by less than 1.2 dB in the mean square); drums of which that is so are
left out. How unfamiliar kits are heard is measured on others yet (``registry_kits.py``).
"""

from training.one_shots import KITS, TUNING_KITS, Kit, kit_of_folder, kit_of_font
from training.patch_kits import kit_of_patches

FONT = "Black_Pearl_4_LV2.sf2"
# Beside the folders: a kit of single patches, and what is left of a soundfont.
NAMES = (*TUNING_KITS, "patches", "Black_Pearl_4_LV2")
FAMILIAR = {
    "Black_Pearl_4_LV2": ("clap", "tom", "hat", "pedal hat", "open hat", "crash", "other", "hand"),
}


def tuning_kits() -> list[Kit]:
    """The kits, in the order of ``NAMES``."""
    kits = [*(kit_of_folder(KITS / name) for name in TUNING_KITS), kit_of_patches(), kit_of_font(FONT, 0)]
    return [
        {role: strokes for role, strokes in kit.items() if role not in FAMILIAR.get(name, ())}
        for name, kit in zip(NAMES, kits, strict=True)
    ]
