"""Tables, files and bodies: what is put in comes back, and nothing is left half done."""

import io
from dataclasses import replace
from pathlib import Path

import mido
import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat.beat_map import times_of
from honest_stave.core.beat.map_of import map_of_tempo
from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import Conflict, InUse, NoRoom, NotFound, StaveError
from honest_stave.core.formats.midi_notes import notes_of_file
from honest_stave.core.formats.midi_read import read_midi
from honest_stave.core.part.notes import Note, Origin, Part
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import ENGINE, FormSettings, ReadSettings
from honest_stave.service import folios, performances, timing
from honest_stave.service.codec import (
    note_from_body,
    note_to_body,
    part_from_body,
    part_to_body,
    tempo_from_body,
    tempo_to_body,
)
from honest_stave.service.handing import file_stem
from honest_stave.service.notes_reading import reading_from_file, reading_to_bytes
from honest_stave.service.takes import name_of_file
from honest_stave.store import history
from honest_stave.store.database import Database
from honest_stave.store.files import Files
from honest_stave.store.lock import held
from honest_stave.store.tables import Base
from tests.conftest import Watched
from tests.core.test_tempo_map import maps
from tests.made import RATE, line
from tests.made import Note as MadeNote

moments = st.floats(0, 3000, allow_nan=False)
origins = st.builds(
    Origin,
    reading=st.text("abcdef0123456789", min_size=1, max_size=32),
    key=st.text(min_size=1, max_size=20),
    onset_s=moments,
    offset_s=moments,
    pitch=st.integers(0, 127),
    velocity=st.integers(1, 127),
    confidence=st.floats(0, 1),
)
notes = st.builds(
    Note,
    id=st.text("abcdef0123456789", min_size=1, max_size=12),
    onset_s=moments,
    offset_s=moments,
    pitch=st.integers(0, 127),
    velocity=st.integers(1, 127),
    curve=st.lists(st.tuples(moments, st.floats(-200, 200)), max_size=4).map(tuple),
    origin=st.none() | origins,
    touched=st.booleans(),
)


@given(notes)
def test_notes_survive_their_body(note: Note) -> None:
    assert note_from_body(note.id, note_to_body(note)) == note


@given(maps())
def test_tempo_maps_survive_their_body(tempo_map: TempoMap) -> None:
    assert tempo_from_body(tempo_to_body(tempo_map)) == tempo_map


def test_parts_of_an_older_version_are_completed() -> None:
    body = part_to_body(Part("old", instrument="bass", dropped=("a", "b")))
    for newer in ("percussion", "at", "bends"):
        del body[newer]
    part = part_from_body(body)
    assert (part.name, part.instrument, part.dropped, part.bends) == ("old", "bass", ("a", "b"), True)


def test_the_migrations_make_exactly_the_tables(tmp_path: Path) -> None:
    database = Database(tmp_path)
    with database.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    database.close()


def test_files_are_named_by_content_and_kept_once(tmp_path: Path) -> None:
    files = Files(tmp_path)
    first, second = files.add(b"goat"), files.add(b"goat")
    assert first == second
    assert files.path(first).read_bytes() == b"goat"
    assert len(list((tmp_path / "files").iterdir())) == 1


def test_a_file_that_was_not_kept_leaves_no_trace(tmp_path: Path) -> None:
    files = Files(tmp_path)

    def fail_halfway() -> None:
        with files.writing() as incoming:
            incoming.file.write(b"half")
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fail_halfway()
    assert list((tmp_path / "files").iterdir()) == []


@pytest.mark.parametrize("name", ["../secret", "a" * 63, "A" * 64, "", "a" * 64])
def test_only_hashes_are_paths(tmp_path: Path, name: str) -> None:
    with pytest.raises(NotFound, match="missing from the data folder"):
        Files(tmp_path).path(name)


@pytest.mark.parametrize(
    ("given_name", "shown"),
    [
        ("C:\\music\\goat.wav", "goat"),
        ("/home/x/line.v2.flac", "line.v2"),
        (".wav", ".wav"),
        ("", "Take"),
        ("x" * 400 + ".wav", "x" * 120),
    ],
)
def test_names_of_files(given_name: str, shown: str) -> None:
    assert name_of_file(given_name) == shown


@pytest.mark.parametrize(
    ("pattern", "stem"),
    [
        ("{folio} {part}", "Goat Bass 1"),
        ("{part}_{tempo}", "Bass 1_96.5"),
        ("../{folio}", "Goat"),
        ("???", "notes"),
        ("{folio}/{part}", "Goat Bass 1"),
    ],
)
def test_names_of_written_files(pattern: str, stem: str) -> None:
    assert file_stem(pattern, "Goat", "Bass/1", 96.5) == stem


def test_a_change_on_an_old_state_changes_nothing(watched: Watched) -> None:
    studio = watched.studio
    folio = folios.create(studio, "Goat")
    seen = folios.state(studio, folio)["revision"]
    folios.rename(studio, folio, "Goat again", seen)
    with pytest.raises(Conflict, match="another window"):
        folios.rename(studio, folio, "Other", seen)
    assert folios.state(studio, folio)["settings"]["title"] == "Goat again"
    assert len(folios.list_history(studio, folio)) == 1


def test_a_change_that_changes_nothing_is_no_entry(watched: Watched) -> None:
    folio = folios.create(watched.studio, "Goat")
    folios.rename(watched.studio, folio, "Goat", None)
    assert folios.list_history(watched.studio, folio) == []


def test_removing_a_folio_removes_all_of_it(watched: Watched) -> None:
    studio = watched.studio
    folio = folios.create(studio, "Goat")
    folios.rename(studio, folio, "Other", None)
    folios.remove(studio, folio)
    assert folios.list_folios(studio) == []
    with studio.database.session() as session, pytest.raises(NotFound):
        history.folio_row(session, folio)


def test_thousands_of_rows_go_in_one_change(watched: Watched) -> None:
    studio = watched.studio
    folio = folios.create(studio, "Goat")
    rows = [("note", "p", f"n{i}", {"pitch": i % 128}) for i in range(5000)]
    folios.change(studio, folio, history.Edit("many", put=rows), None)
    folios.change(studio, folio, history.Edit("gone", removed=[r[:3] for r in rows[:4500]]), None)
    with studio.database.session() as session:
        assert len(history.entities(session, folio, "note", "p")) == 500
    folios.step(studio, folio, back=True)
    with studio.database.session() as session:
        assert len(history.entities(session, folio, "note", "p")) == 5000


def midi_bytes(*tracks: list[mido.Message], kind: int = 1) -> bytes:
    file = mido.MidiFile(type=kind, ticks_per_beat=480)
    file.tracks += [mido.MidiTrack(t) for t in tracks]
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def struck(pitch: int, channel: int = 0) -> list[mido.Message]:
    return [
        mido.Message("note_on", note=pitch, channel=channel, velocity=90),
        mido.Message("note_off", note=pitch, channel=channel, time=480),
    ]


def test_one_track_of_several_channels_is_split_by_channel() -> None:
    data = midi_bytes([mido.MetaMessage("track_name", name="all"), *struck(60, 0), *struck(38, 9)], kind=0)
    file = read_midi(data)
    groups = performances.split_notes(file, notes_of_file(file)[0])
    assert [(name, [n.pitch for n in members]) for name, members in groups] == [
        ("all channel 1", [60]),
        ("all channel 10", [38]),
    ]


def test_the_map_of_a_file() -> None:
    tempo = [
        mido.MetaMessage("set_tempo", tempo=1_000_000),
        mido.MetaMessage("time_signature", numerator=3, denominator=4),
        mido.MetaMessage("set_tempo", tempo=500_000, time=3 * 480),
    ]
    found = performances.map_of_file(read_midi(midi_bytes(tempo, struck(60))))
    assert found is not None
    assert [found.bpm_at(b) for b in (0, 3)] == [pytest.approx(60), pytest.approx(120)]
    assert found.meters[0].numerator == 3
    assert found.bar_position(3.0).bar == 2


@pytest.mark.parametrize(
    ("meters", "pickup"),
    [
        ([(4, 16), (4, 4)], 1.0),
        ([(2, 4), (6, 8), (2, 4)], 2.0),
        ([(3, 4), (4, 4), (3, 4)], 0.0),
        ([(4, 4), (3, 4)], 0.0),
    ],
    ids=["four sixteenths before 4/4", "two quarters before 6/8", "three and four in turn", "a longer bar first"],
)
def test_a_short_first_bar_of_a_score_is_its_pickup(meters: list[tuple[int, int]], pickup: float) -> None:
    written, waits = [], 0
    for numerator, denominator in meters:
        written.append(mido.MetaMessage("time_signature", numerator=numerator, denominator=denominator, time=waits))
        waits = 480 * 4 * numerator // denominator
        # The second meter stays for five bars.
        waits *= 5 if len(written) == 2 and pickup == 2.0 else 1
    found = performances.map_of_file(read_midi(midi_bytes(written, struck(60))))
    assert found is not None
    assert found.seconds_at(-pickup) == pytest.approx(0.0)
    assert found.bar_position(0.0).bar == 1
    first = map_of_tempo(found, "score", 20.0)
    felt = found.meter_at(0.0).felt_beat_quarters
    assert (first.meters[0].beat, times_of(first)[0]) == (int(pickup / felt), pytest.approx((pickup % felt) / 2))


@pytest.mark.parametrize("program", range(0, 128, 5))
def test_every_program_has_an_instrument(program: int) -> None:
    from honest_stave.core.sound.instruments import INSTRUMENT_IDS

    assert performances.instrument_for(program) in INSTRUMENT_IDS


def test_a_grid_reaches_the_end_of_an_hour_and_is_bounded() -> None:
    hour = timing.grid(TempoMap(lone_bpm=120), -2, 3600)
    assert (hour["time_s"][0], hour["time_s"][-1]) == (-2.0, 3600.0)
    assert len(hour["time_s"]) == 7205
    assert (hour["bar"][-1], hour["beat"][-1]) == (1801, 1)
    longest = timing.grid(TempoMap(lone_bpm=960), 0, 8 * 3600)
    assert timing.MOST_LINES <= len(longest["time_s"]) <= timing.MOST_LINES + 64
    assert longest["time_s"] == sorted(longest["time_s"])


def test_errors_travel_between_processes_whole() -> None:
    import pickle

    error = NotFound("There is no goat.", "Look in the boathouse.")
    again = pickle.loads(pickle.dumps(error))
    assert isinstance(again, StaveError)
    assert (type(again), again.title, again.detail) == (NotFound, error.title, error.detail)


def test_a_reading_of_notes_by_any_engine_before_opens(tmp_path: Path) -> None:
    made = read(line([MadeNote(0.3, 0.9, 60), MadeNote(1.0, 1.6, 64)]), RATE, ReadSettings())
    path = tmp_path / "reading.npz"
    for number in range(2, int(ENGINE.split()[1]) + 1):
        path.write_bytes(reading_to_bytes(replace(made, engine=f"notes {number}")))
        opened = reading_from_file(path)
        assert opened.engine == f"notes {number}"
        assert form_candidates(opened, FormSettings()) == form_candidates(made, FormSettings())


def test_a_data_folder_is_kept_by_one_application_at_a_time(tmp_path: Path) -> None:
    with held(tmp_path / "data"), pytest.raises(InUse, match="in use by another"), held(tmp_path / "data"):
        pytest.fail("two have it")
    with held(tmp_path / "data"):
        pass
    (tmp_path / "file").touch()
    with pytest.raises(NoRoom, match="cannot be written"), held(tmp_path / "file"):
        pytest.fail("a file is no folder")
