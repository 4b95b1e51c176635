"""Writes SFZ: a text of regions beside the sounds they play."""

from collections.abc import Sequence

from honest_stave.core.formats.zones import Zone


def write_sfz(zones: Sequence[Zone], folder: str) -> str:
    """The text of an SFZ instrument; each zone's sound is ``folder``/name.wav.

    Velocity changes nothing and no envelope colours a sound: what is in the file is heard.
    """
    lines = [
        "// A kit of slices: one a key, each at its own pitch, as loud as in the loop.",
        "<control>",
        f"default_path={folder}/",
        "<global>",
        "amp_veltrack=0",
        "ampeg_attack=0",
        "",
    ]
    for zone in zones:
        mode = "one_shot" if zone.one_shot else "no_loop"
        choke = f" group={zone.choke} off_by={zone.choke} off_mode=fast" if zone.choke else ""
        lines.append(
            f"<region> sample={zone.name}.wav key={zone.key} pitch_keycenter={zone.key}"
            f" loop_mode={mode} ampeg_release={zone.release_s:g}{choke}"
        )
    return "\n".join(lines) + "\n"
