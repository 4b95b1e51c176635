"""Kinds of takes, top lines and keys on the practice set.

    python -m bench.textures

Kinds: the folders single, many and hits say what each clip is (a clip of hits with a quiet
bass counts as drums or a mix). Top lines: F1 of the top line of the part-writing clips
against the notes that nothing truly sounding is above. Keys: of the chord clips.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import json
from pathlib import Path

import mir_eval
import numpy as np
import soundfile

from bench.counted_notes import notes_in
from honest_stave.core.harmony.key import find_tonality
from honest_stave.core.harmony.spelling import Mode, tonic_name
from honest_stave.core.part.lines import lines_of
from honest_stave.core.part.notes import Note
from honest_stave.core.pitch.kind import judge_kind
from honest_stave.core.signal.convert import pitch_from_name

PRACTICE = Path(__file__).parents[2] / "shared" / "practice"
RIGHT_KINDS = {"single": ("one",), "many": ("many",), "hits": ("drums", "mix")}
# Of the recordings for beats these are without drums.
WITHOUT_DRUMS = ("no-drums", "piano", "strings")
PART_WRITING = ("strings", "choir", "organ")


def kinds() -> None:
    right = total = 0
    for folder, wanted in RIGHT_KINDS.items():
        for path in sorted((PRACTICE / folder).glob("*.flac")):
            samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
            found = judge_kind(samples, rate)
            total += 1
            right += found.name in wanted
            mark = "" if found.name in wanted else "   WRONG"
            print(f"{folder:8}{path.stem:24}{found.name:8}{found.confidence:6.2f}{mark}")
    print(f"kind right in {right} of {total}: {right / total:.3f}")
    beats = sorted((PRACTICE / "beats").glob("*.flac"))
    told = [judge_kind(*soundfile.read(path, dtype="float32", always_2d=True)).name for path in beats]
    wanted_of = ["many" if any(w in path.stem for w in WITHOUT_DRUMS) else "mix" for path in beats]
    right = sum(name == wanted for name, wanted in zip(told, wanted_of, strict=True))
    print(f"bands with drums and without: kind right in {right} of {len(beats)}")


def top_of_truth(truth: list[dict[str, float]]) -> list[dict[str, float]]:
    """Notes that nothing is above while they begin."""
    return [
        n
        for n in truth
        if not any(
            o["pitch"] > n["pitch"]
            and o["onset_s"] <= n["onset_s"] + 0.05
            and max(o["offset_s"], o.get("sounding_off_s", 0)) > n["onset_s"] + 0.05
            for o in truth
        )
    ]


def top_lines() -> None:
    figures = []
    for path in sorted((PRACTICE / "many").glob("*.flac")):
        if not any(word in path.stem for word in PART_WRITING):
            continue
        found = notes_in(path, "many")
        notes = [Note(str(i), c.onset_s, c.offset_s, c.pitch, c.velocity) for i, c in enumerate(found)]
        top = [n for n, line in zip(notes, lines_of(notes, "voices"), strict=True) if line == "top"]
        truth = top_of_truth(json.loads(path.with_suffix(".json").read_text())["notes"])
        pairs = mir_eval.transcription.match_notes(
            np.array([(n["onset_s"], n["onset_s"] + 0.1) for n in truth]),
            mir_eval.util.midi_to_hz(np.array([n["pitch"] for n in truth], float)),
            np.array([(n.onset_s, n.onset_s + 0.1) for n in top]),
            mir_eval.util.midi_to_hz(np.array([n.pitch for n in top], float)),
            offset_ratio=None,
        )
        figures.append(2 * len(pairs) / (len(truth) + len(top)))
        print(f"top line {path.stem:24}{figures[-1]:8.3f}")
    print(f"top line, mean {np.mean(figures):.3f}")


def keys() -> None:
    right = total = 0
    for path in sorted((PRACTICE / "chords").glob("*.flac")):
        tonic, mode = json.loads(path.with_suffix(".json").read_text())["key"].split(":")
        found = notes_in(path, "many")
        columns = [
            np.array(column) for column in zip(*[(c.onset_s, c.offset_s, c.pitch) for c in found], strict=True)
        ]
        key = find_tonality(*columns).key
        wanted: tuple[int, Mode] = pitch_from_name(f"{tonic}4") % 12, "major" if mode == "maj" else "minor"
        total += 1
        right += key is not None and (key.tonic, key.name) == wanted
        print(f"key {path.stem:24}{f'{tonic_name(*wanted)} {wanted[1]}':12}{key.text if key else 'none':12}")
    print(f"key right in {right} of {total}: {right / total:.3f}")


def main() -> None:
    kinds()
    top_lines()
    keys()


if __name__ == "__main__":
    main()
