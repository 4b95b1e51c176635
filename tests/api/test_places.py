"""Where takes lie in the folio's time: what is heard, written and counted from there."""

import io

import mido
import pytest

from tests.api.conftest import App
from tests.api.test_following import quarters


@pytest.fixture
def takes(app: App) -> tuple[str, str]:
    """Ids of two takes of quarter notes at 120; the second begins with bar 3 of the folio."""
    files = {"first.mid": quarters(4), "second.mid": quarters(4, lowest=48)}
    first, second = [app.bring_in(data, name)["result"]["take"] for name, data in files.items()]
    app.send("PUT", "/time", {"bpm": 120, "downbeat_s": 0.0})
    app.send("PUT", f"/takes/{second}/place", {"moment_s": 0.5, "bar": 3})
    return first, second


def heard(app: App, take: str) -> dict[str, list[float]]:
    """Onsets of both parts in the seconds of a take, by the part's take."""
    events = app.get(f"/parts/heard?take={take}")["parts"]
    return {p["take"]: [e["onset_s"] for e in events[i]] for i, p in app.get()["parts"].items()}


def test_a_moment_is_put_on_a_bar_and_parts_lie_apart_as_the_takes_do(app: App, takes: tuple[str, str]) -> None:
    first, second = takes
    assert app.get()["settings"]["places"] == {second: 3.5}
    assert heard(app, first)[second] == pytest.approx([3.5, 4.0, 4.5, 5.0])
    assert heard(app, second)[second] == pytest.approx([0.0, 0.5, 1.0, 1.5])
    assert heard(app, second)[first][0] == pytest.approx(-3.5)
    stored = {p["take"]: app.get(f"/parts/{i}/notes")[0]["onset_s"] for i, p in app.get()["parts"].items()}
    assert stored[second] == 0.0


def test_bars_and_bar_one_are_told_in_the_seconds_of_the_take(app: App, takes: tuple[str, str]) -> None:
    _, second = takes
    grid = app.get(f"/time/grid?from_s=0&to_s=2&take={second}")
    bars = dict(zip(grid["time_s"], grid["bar"], strict=True))
    assert bars[0.5] == 3
    app.send("PUT", "/time", {"downbeat_s": 0.25, "take": second})
    assert app.get()["settings"]["tempo"]["knots"][0]["time_s"] == pytest.approx(3.75)


def test_a_file_of_both_has_them_where_they_lie(app: App, takes: tuple[str, str]) -> None:
    done = app.send("POST", "/hand-ons", {"format": "midi"})
    assert done["proof"]["same"]
    assert "folio" in " ".join(done["told"]["words"])
    file = mido.MidiFile(file=io.BytesIO(app.get_bytes(f"/hand-ons/{done['id']}/file")))
    onsets: dict[int, float] = {}
    moment_s = 0.0
    for message in file:
        moment_s += message.time
        if message.type == "note_on" and message.velocity:
            onsets[message.note] = moment_s
    assert onsets[60] == pytest.approx(0.0, abs=1e-3)
    assert onsets[48] == pytest.approx(3.5, abs=1e-3)


def test_one_of_them_alone_begins_with_its_recording(app: App, takes: tuple[str, str]) -> None:
    _, second = takes
    part = next(i for i, p in app.get()["parts"].items() if p["take"] == second)
    done = app.send("POST", "/hand-ons", {"format": "csv", "parts": [part]})
    rows = app.get_bytes(f"/hand-ons/{done['id']}/file").decode().splitlines()
    columns = dict(zip(rows[0].split(","), rows[1].split(","), strict=True))
    assert float(columns["onset_s"]) == 0.0


def test_a_take_that_would_begin_before_the_folio_is_refused_and_undo_puts_it_back(
    app: App, takes: tuple[str, str]
) -> None:
    first, second = takes
    said = app.send("PUT", f"/takes/{first}/place", {"moment_s": 1.0, "bar": 1}, expect=422)
    assert "before the folio" in said["title"]
    app.send("POST", "/undo")
    assert app.get()["settings"]["places"] == {}
    assert heard(app, first)[second][0] == 0.0


def test_the_map_that_a_take_carries_lies_where_the_take_does(app: App, takes: tuple[str, str]) -> None:
    _, second = takes
    app.send("PUT", "/time", {"map_of_take": second})
    assert app.get()["settings"]["tempo"]["knots"][0]["time_s"] == pytest.approx(3.5)
    assert app.get(f"/time/grid?from_s=0&to_s=0.4&take={second}")["time_s"][0] == pytest.approx(0.0)
