"""Kits as files: read back by an independent library, by our own readers, by a MIDI library."""

import io
from dataclasses import replace
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile

from honest_stave.core.errors import BadInput
from honest_stave.core.formats.kit_read import play, read_sf2, read_sfz
from honest_stave.core.formats.sf2_write import write_sf2
from honest_stave.core.formats.sfz_write import write_sfz
from honest_stave.core.formats.wav_write import write_wav
from honest_stave.core.formats.zones import Zone
from honest_stave.core.hits.kit_export import export_kit, kit_proof_text, prove_kit
from honest_stave.core.hits.kit_of_file import cut_file
from honest_stave.core.hits.slice_sound import as_db
from honest_stave.demo.loops import toy_cupboard
from tests.fluid import RISE_FRAMES, play_key, through_its_output
from tests.made import RATE

# What the issue asks of each zone alone.
NULL_DB = -80.0


def zones(channels: int = 2) -> list[Zone]:
    random = np.random.default_rng(3)
    fall = np.exp(-np.arange(6000) / 900)[:, None]
    return [
        Zone(key, f"{key} snare", (0.7 * random.uniform(-1, 1, (6000, channels)) * fall).astype(np.float32))
        for key in (36, 37, 60)
    ]


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("rate", [44100, 48000])
@pytest.mark.parametrize("velocity", [1, 100])
def test_an_independent_library_plays_every_zone_of_a_bank_as_it_is(
    tmp_path: Path, channels: int, rate: int, velocity: int
) -> None:
    bank = tmp_path / "kit.sf2"
    made = zones(channels)
    bank.write_bytes(write_sf2(made, rate, "Kit"))
    for zone in made:
        heard = play_key(bank, zone.key, len(zone.sound) + 64, rate, velocity)[: len(zone.sound)]
        wanted = through_its_output(zone.sound, rate)
        assert as_db(float(np.abs(heard - wanted)[RISE_FRAMES:].max())) < NULL_DB


def test_sfz_and_its_sounds_are_read_back() -> None:
    made = [replace(zones()[0], choke=1, one_shot=True), *zones()[1:]]
    sounds = {f"slices/{z.name}.wav": write_wav(z.sound, RATE) for z in made}
    back = read_sfz(write_sfz(made, "slices"), lambda path: sounds[path])
    assert [(z.key, z.one_shot, z.choke, z.by_velocity) for z in back] == [
        (36, True, 1, False), (37, False, 0, False), (60, False, 0, False)
    ]  # fmt: skip
    for zone, read in zip(made, back, strict=True):
        # Half a step of 24 bit.
        np.testing.assert_allclose(read.sound, zone.sound, atol=2.0**-23)


def test_a_wav_carries_its_cuts_as_cue_points() -> None:
    data = write_wav(zones()[0].sound, 48000, [(0, "01 kick"), (2500, "02 snare")])
    sound, rate = soundfile.read(io.BytesIO(data), dtype="float32")
    assert (len(sound), rate) == (6000, 48000)
    place = data.index(b"cue ")
    assert int.from_bytes(data[place + 8 : place + 12], "little") == 2
    assert int.from_bytes(data[place + 12 + 24 + 20 : place + 12 + 24 + 24], "little") == 2500
    assert b"02 snare\0" in data


def test_what_is_longer_than_a_wav_file_can_be_is_said_to_be() -> None:
    silence = np.broadcast_to(np.zeros(1, np.float32), (800_000_000, 2))
    with pytest.raises(BadInput, match=r"2\.1 hours"):
        write_wav(silence, 96000)


def test_a_sampler_lets_go_at_the_notes_end_or_lets_ring() -> None:
    zone = read_sf2(write_sf2([zones()[0]], RATE, "Kit"))[0]
    short = play([zone], [(0.0, 0.05, 36)], RATE, 8000)
    assert np.abs(short[round(0.056 * RATE) :]).max() == 0
    ringing = play([replace(zone, one_shot=True)], [(0.0, 0.05, 36)], RATE, 8000)
    np.testing.assert_allclose(ringing[:6000], zone.sound)


def test_damaged_banks_are_refused() -> None:
    with pytest.raises(BadInput, match="RIFF"):
        read_sf2(b"nothing")
    with pytest.raises(BadInput, match="no sound or no key"):
        read_sfz("<region> key=3", lambda path: b"")


def test_a_loop_becomes_a_kit_whose_midi_lies_on_its_slices() -> None:
    loop = toy_cupboard()
    made = cut_file(loop.samples, RATE, "cupboard", ["wav", "sfz", "sf2"], None)
    assert "null test exact" in made.told
    assert "proven" in made.told
    assert (round(made.bpm), made.bars) == (96, 2)
    file = mido.MidiFile(file=io.BytesIO(dict(made.files)["cupboard.mid"]))
    half_tick_s = 0.5 * 60 / made.bpm / file.ticks_per_beat
    now, onsets = 0.0, []
    for message in file:
        now += message.time
        if message.type == "note_on" and message.velocity:
            onsets.append(now)
    expected = [s["start_s"] for s in made.slices]
    assert np.abs(np.array(onsets) - np.array(expected)).max() <= half_tick_s + 1e-6
    # Two bars and no blank: the file ends with the bar.
    assert file.length == pytest.approx(8 * 60 / made.bpm, abs=0.01)
    names = [name for name, _ in made.files]
    assert {"cupboard.sfz", "cupboard.sf2", "cupboard.wav", "proof.txt"} <= set(names)


def test_bars_that_are_typed_set_the_tempo() -> None:
    loop = toy_cupboard()
    made = cut_file(loop.samples, RATE, "cupboard", ["wav"], 1)
    assert made.bpm == pytest.approx(48, abs=0.1)


def test_the_proof_tells_a_kit_that_is_not_its_slices() -> None:
    loop = toy_cupboard()
    made = cut_file(loop.samples, RATE, "cupboard", ["sf2"], None)
    bank = read_sf2(dict(made.files)["cupboard.sf2"])
    kept = [Zone(z.key, f"slice {z.key}", z.sound) for z in bank]
    from honest_stave.core.beat.tempo_map import TempoMap
    from honest_stave.core.hits.kit_export import plan_pattern
    from honest_stave.core.part.handing_on import write_and_prove
    from honest_stave.core.part.notes import Note

    notes = [Note("a", 0.0, 0.4, kept[0].key, 100)]
    planned = plan_pattern("x", notes, TempoMap())
    midi, proof = write_and_prove(planned, "x")
    damaged = [replace(bank[1], sound=bank[1].sound * 0.9), *bank[2:]]
    told = prove_kit(kept, loop.samples, RATE, notes, midi, planned, proof, {"sf2": damaged})
    assert not told.same
    assert any("nothing plays on key" in r for r in told.remarks)
    assert any("differs from its slice by" in r for r in told.remarks)
    # It is compared with its slices, not with what was read back: of silence all is missing.
    assert told.whole_db["sf2"] == pytest.approx(told.against_db, abs=0.1)
    assert "Not the same" in kit_proof_text(told, "x")


def test_a_pattern_is_compared_with_the_loop_only_where_it_plays_it() -> None:
    from honest_stave.core.beat.tempo_map import TempoMap
    from honest_stave.core.part.notes import Note

    random = np.random.default_rng(4)
    loop = (random.normal(0, 0.1, 8 * 6000) * np.tile(np.exp(-np.arange(6000) / 1500), 8)).astype(np.float32)[:, None]
    zones = [Zone(36 + i, f"slice {i}", loop[6000 * i : 6000 * (i + 1)]) for i in range(8)]
    step_s = 6000 / RATE
    cues = [(6000 * i, str(i)) for i in range(8)]

    def against(keys: list[int]) -> tuple[str, float, float]:
        notes = [Note(str(i), step_s * i, step_s * (i + 1), key, 100) for i, key in enumerate(keys)]
        proof = export_kit("x", zones, loop, RATE, cues, notes, TempoMap(), ["sfz"]).proof
        assert proof.same
        return proof.against, proof.whole_db["sfz"], proof.against_db

    told, apart_db, own_db = against([36 + i for i in range(8)])
    assert told == "loop"
    told, shuffled_db, shuffled_own_db = against([36 + i for i in (3, 0, 2, 1, 7, 5, 4, 6)])
    assert told == "pattern"
    # Moments rounded to ticks leave as much of the one as of the other.
    assert shuffled_db - shuffled_own_db == pytest.approx(apart_db - own_db, abs=3.0)


def test_an_export_without_sampler_formats_is_proven_by_its_midi() -> None:
    from honest_stave.core.beat.tempo_map import TempoMap
    from honest_stave.core.part.notes import Note

    made = export_kit(
        "kit", zones(), zones()[0].sound, RATE, [(0, "01")], [Note("a", 0.0, 0.1, 36, 100)], TempoMap(), ["wav"]
    )
    assert made.proof.same
    assert made.proof.midi.notes == 1


@pytest.mark.parametrize("form", ["sfz", "sf2"])
def test_a_slice_over_full_scale_is_said_to_be(form: str) -> None:
    from honest_stave.core.beat.tempo_map import TempoMap
    from honest_stave.core.part.notes import Note

    first, *rest = zones()
    loud = [replace(first, sound=first.sound * (2 / np.abs(first.sound).max())), *rest]
    notes = [Note("a", 0.0, 0.1, first.key, 100)]
    made = export_kit("kit", loud, first.sound, RATE, [(0, "01")], notes, TempoMap(), [form])
    assert not made.proof.same
    assert [r for r in made.proof.remarks if "6.0 dB over full scale: lower its gain" in r]
