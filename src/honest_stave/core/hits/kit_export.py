"""A kit as files: slices, SFZ, SoundFont, the loop with its cues, and the MIDI that plays them; and its proof."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.formats.kit_read import ReadZone, play, read_sf2, read_sfz
from honest_stave.core.formats.midi_notes import notes_of_file
from honest_stave.core.formats.midi_read import read_midi
from honest_stave.core.formats.sf2_write import write_sf2
from honest_stave.core.formats.sfz_write import write_sfz
from honest_stave.core.formats.wav_write import write_wav
from honest_stave.core.formats.zones import Zone
from honest_stave.core.hits.slice_sound import Samples, as_db
from honest_stave.core.part.events import Sounding
from honest_stave.core.part.handing_on import HandOnSettings, Line, Plan, plan, write_and_prove
from honest_stave.core.part.notes import Note
from honest_stave.core.part.proof import Proof

SLICES = "slices"
# A written zone differs from its slice by less than this.
NULL_DB = -80.0
# A bar is begun for what sounds on beyond it by more than this.
BEYOND_BAR_S = 0.02
# A pattern plays the loop where its notes, as they are heard, leave this much less than the loop: overlaps are faded.
PLAYS_LOOP_DB = 20.0
Against = Literal["loop", "pattern"]
AGAINST = {"loop": "the loop", "pattern": "the pattern where its notes are heard"}
OWN_LEVEL = {"loop": "the loop itself       ", "pattern": "the pattern itself    "}


@dataclass(frozen=True)
class KitProof:
    """What reading a written kit back found.

    Args:
        midi: of the pattern against its notes.
        zones_db: for each format, the loudest difference of a zone from its slice (dB).
        whole_db: for each format, how far its rendering with the MIDI lies from what it is compared with, in the
            mean; the rounding of moments to ticks and the faded overlaps are in it.
        against: the loop where the pattern plays it; else the pattern itself, its notes where they are heard.
        against_db: level of that, for comparison.
        same: every zone is there, on its key, under ``NULL_DB``, and the pattern is the same.
        remarks: what is not as it should be, in words.
    """

    midi: Proof
    zones_db: dict[str, float]
    whole_db: dict[str, float]
    against: Against
    against_db: float
    same: bool
    remarks: tuple[str, ...]


@dataclass(frozen=True)
class KitFiles:
    """Files by name, and their proof."""

    files: tuple[tuple[str, bytes], ...]
    proof: KitProof
    words: tuple[str, ...]


def plan_pattern(name: str, notes: Sequence[Note], tempo_map: TempoMap, percussion: bool = False) -> Plan:
    """The pattern from the bar in which it begins to the end of the bar in which it ends."""
    events = tuple(Sounding("kit", n.onset_s, n.offset_s, n.pitch, n.velocity) for n in notes)
    first = tempo_map.bar_index(float(tempo_map.beats_at(notes[0].onset_s + 1e-6)))
    last_s = max(n.offset_s for n in notes) - BEYOND_BAR_S
    last = max(tempo_map.bar_index(float(tempo_map.beats_at(last_s))), first)
    number = tempo_map.first_bar_number
    settings = HandOnSettings(from_bar=first + number, to_bar=last + number, start="bar 1", bend_semitones=0)
    return plan([Line("kit", name, None, events, percussion)], tempo_map, settings)


def export_kit(
    name: str,
    zones: Sequence[Zone],
    loop: Samples,
    rate: int,
    cues: Sequence[tuple[int, str]],
    notes: Sequence[Note],
    tempo_map: TempoMap,
    formats: Sequence[str],
) -> KitFiles:
    """Writes a kit and proves what was written.

    Args:
        name: of the kit, a file name without its ending.
        zones: one a key.
        loop: the whole loop, (frames, channels).
        rate: Hz.
        cues: cut and name of each slice.
        notes: of the pattern.
        tempo_map: in whose bars the MIDI is written.
        formats: of ``wav``, ``sfz``, ``sf2``.
    """
    planned = plan_pattern(name, notes, tempo_map)
    midi, midi_proof = write_and_prove(planned, name)
    files: list[tuple[str, bytes]] = [(f"{name}.mid", midi)]
    words = [*planned.words, *planned.midi_words]
    read: dict[str, list[ReadZone]] = {}
    if "wav" in formats:
        files.append((f"{name}.wav", write_wav(loop, rate, cues)))
        words.append(f"{name}.wav is the whole loop with {len(cues)} cue points.")
    if "wav" in formats or "sfz" in formats:
        files += [(f"{SLICES}/{z.name}.wav", write_wav(z.sound, rate)) for z in zones]
    known = dict(files)
    if "sfz" in formats:
        text = write_sfz(zones, SLICES)
        files.append((f"{name}.sfz", text.encode()))
        read["sfz"] = read_sfz(text, lambda path: known[path])
        words.append(f"{name}.sfz plays {len(zones)} slices, one a key.")
    if "sf2" in formats:
        bank = write_sf2(zones, rate, name)
        files.append((f"{name}.sf2", bank))
        read["sf2"] = read_sf2(bank)
        words.append(f"{name}.sf2 plays the same slices in 16 bit.")
    return KitFiles(tuple(files), prove_kit(zones, loop, rate, notes, midi, planned, midi_proof, read), tuple(words))


def prove_kit(
    zones: Sequence[Zone],
    loop: Samples,
    rate: int,
    notes: Sequence[Note],
    midi: bytes,
    planned: Plan,
    midi_proof: Proof,
    read: dict[str, list[ReadZone]],
) -> KitProof:
    """Compares what was read back with the slices and, played by the MIDI, with the loop or the pattern."""
    remarks: list[str] = []
    zones_db: dict[str, float] = {}
    whole_db: dict[str, float] = {}
    found, _ = notes_of_file(read_midi(midi), pedal=False)
    played = [(n.onset_s + planned.start_s, n.offset_s + planned.start_s, n.pitch) for n in found]
    against, wanted = _wanted(zones, notes, loop, rate)
    for form, back in read.items():
        zones_db[form] = _zones_apart(form, zones, back, remarks)
        whole_db[form] = _apart_db(play(back, played, rate, len(wanted)), wanted)
    same = midi_proof.same and not remarks and all(db < NULL_DB for db in zones_db.values())
    return KitProof(midi_proof, zones_db, whole_db, against, _rms_db(wanted), same, tuple(remarks))


def _wanted(zones: Sequence[Zone], notes: Sequence[Note], loop: Samples, rate: int) -> tuple[Against, Samples]:
    """What the pattern is to sound like: the loop where it plays it, else the slices where its notes are heard."""
    frames = max(len(loop), round(rate * max(n.offset_s for n in notes)))
    own = play(zones, [(n.onset_s, n.offset_s, n.pitch) for n in notes], rate, frames)
    plays_loop = _apart_db(own[: len(loop)], loop) <= _rms_db(loop) - PLAYS_LOOP_DB
    return ("loop", loop) if plays_loop else ("pattern", own)


def _zones_apart(form: str, zones: Sequence[Zone], back: Sequence[ReadZone], remarks: list[str]) -> float:
    by_key = {z.key: z for z in back}
    worst = 0.0
    for zone in zones:
        other = by_key.get(zone.key)
        if other is None:
            remarks.append(f"{form}: nothing plays on key {zone.key}, “{zone.name}”.")
            continue
        if other.by_velocity:
            remarks.append(f"{form}: “{zone.name}” changes with velocity.")
        if len(other.sound) != len(zone.sound):
            remarks.append(f"{form}: “{zone.name}” has another length.")
            continue
        wanted = np.broadcast_to(zone.sound, other.sound.shape) if zone.sound.shape[1] == 1 else zone.sound
        apart = float(np.abs(wanted[:, : other.sound.shape[1]] - other.sound).max(initial=0.0))
        over_db = as_db(float(np.abs(wanted).max(initial=0.0)))
        if as_db(apart) >= NULL_DB:
            why = f", for it is {over_db:.1f} dB over full scale: lower its gain" if over_db > 0 else ""
            remarks.append(f"{form}: “{zone.name}” differs from its slice by {as_db(apart):.1f} dB{why}.")
        worst = max(worst, apart)
    return as_db(worst)


def _apart_db(rendering: Samples, wanted: Samples) -> float:
    channels = min(rendering.shape[1], wanted.shape[1])
    return _rms_db(rendering[:, :channels] - wanted[:, :channels])


def _rms_db(sound: Samples) -> float:
    return as_db(math.sqrt(float(np.square(sound, dtype=np.float64).mean()))) if sound.size else as_db(0.0)


def kit_proof_text(proof: KitProof, name: str) -> str:
    """The proof as plain text to keep beside the files."""
    lines = [name, "", "The same: every slice and the pattern are what is heard." if proof.same else "Not the same:"]
    lines += [f"  {remark}" for remark in proof.remarks]
    lines += [f"  {d.time_s:10.3f} s  {d.text}" for d in proof.midi.differences]
    lines += [
        f"notes compared        {proof.midi.notes}",
        f"greatest deviation    {proof.midi.greatest_ms:.3f} ms, from rounding to ticks",
        f"{OWN_LEVEL[proof.against]}{proof.against_db:.1f} dB",
    ]
    for form, db in proof.zones_db.items():
        lines.append(f"{form} zones, alone      {db:.1f} dB at most from their slices")
        apart = f"{proof.whole_db[form]:.1f} dB from {AGAINST[proof.against]}"
        lines.append(f"{form} played by the MIDI {apart}, ticks and overlaps in it")
    return "\n".join(lines) + "\n"
