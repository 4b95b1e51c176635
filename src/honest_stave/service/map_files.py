"""Beat maps handed on: files of one's choice in one ZIP, or the map alone, each with its proof."""

import io
import time
import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from honest_stave.core.beat import map_files
from honest_stave.core.beat.beat_map import BeatMap, places_of, tempo_map_of
from honest_stave.core.beat.map_files import MapProof
from honest_stave.core.beat.map_tempo import weakest_first
from honest_stave.core.beat.score_of_map import ScoreProof
from honest_stave.core.beat.straight import StraightProof
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.midi_write import WrittenPart
from honest_stave.core.formats.wav_write import wav_in_blocks
from honest_stave.core.words import free_name, how_many
from honest_stave.service import beat_maps, score_files, straightening, takes
from honest_stave.service.archive import Content, keep_archive
from honest_stave.service.handing import file_stem, lines_of, said
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import HandOn

FORMATS = ("map", "click", "click track", "parts", "bar", "straight", "score", "csv", "labels")


@dataclass(frozen=True)
class Proofs:
    """What was read back: the map, its score and the straightened recording where they were written."""

    map: MapProof
    score: ScoreProof | None
    steady: StraightProof | None

    @property
    def same(self) -> bool:
        """Whether what must agree agrees; how well strokes are found again is told, and no yes or no."""
        return self.map.same and (self.score is None or self.score.same)


def hand_on(
    studio: Studio,
    folio_id: str,
    map_id: str,
    formats: list[str],
    from_bar_one: bool,
    straightened: str | None = None,
) -> dict[str, Any]:
    """Writes what was chosen of a map, reads it back and keeps it; returns the hand-on with its proof.

    Args:
        formats: of ``FORMATS``.
        from_bar_one: the MIDI file begins with the first bar, in place of the recording.
        straightened: the job that has straightened the recording, where that is chosen.

    Raises:
        BadInput: nothing was chosen, or the recording has not been straightened.
    """
    unknown = [f for f in formats if f not in FORMATS]
    if unknown or not formats:
        raise BadInput("Nothing was chosen.", f"Choose of {', '.join(FORMATS)}.")
    beat_map = beat_maps.map_of(studio, folio_id, map_id)
    take = takes.audio_take(studio, folio_id, beat_map.take)
    samples, rate = takes.samples_of(studio, take)
    name = file_stem("{part}", "", beat_map.name, 0)
    start_s = max(0.0, beat_map.beats[beat_map.meters[0].beat].time_s) if from_bar_one else 0.0
    files: list[tuple[str, Content]] = []
    words, left_out = [_told_of_map(beat_map, start_s)], []
    steady_proof = None
    written: tuple[WrittenPart, ...] = ()
    if "parts" in formats:
        lines = lines_of(studio, folio_id, {}, beat_map.take)
        written = tuple(WrittenPart(x.name, x.program, x.events, x.percussion, x.pedal) for x in lines if x.events)
        left_out += [f"“{x.name}” has no notes and is left out." for x in lines if not x.events]
    midi = map_files.map_as_midi(beat_map, start_s, with_click="click track" in formats, parts=written)
    click = None
    if {"map", "click track", "parts"} & set(formats):
        files.append((f"{name}.mid", midi))
    if "click" in formats:
        data = map_files.click_as_wav(beat_map, len(samples) / rate)
        files.append((f"{name} click.wav", data))
        # Imported here: the server starts without what only a proof needs.
        import soundfile

        click = soundfile.read(io.BytesIO(data), dtype="float32")[0]
        words.append(f"{name} click.wav is as long as the recording; put both at the same place.")
    if "bar" in formats:
        blocks, first = map_files.from_a_bar(samples, rate, beat_map)
        cut = wav_in_blocks(blocks, len(samples) - first, samples.shape[1], rate)
        files.append((f"{name} from a bar.wav", cut))
        apart = f"{abs(first) / rate:.4f} s {'before the recording does' if first < 0 else 'into the recording'}"
        words.append(f"{name} from a bar.wav begins exactly on a bar, {apart}.")
    if "straight" in formats:
        tempo, steady, steady_proof = straightening.straightened_by(studio, folio_id, map_id, straightened)
        files.append((f"{name} at {tempo:g}.wav", steady))
        words.append(f"{name} at {tempo:g}.wav begins with the first beat and is steady at {tempo:g}.")
    score_proof = None
    if "score" in formats:
        data, score_proof = score_files.score_of(studio, folio_id, map_id, beat_map)
        files.append((f"{name}.musicxml", data))
        words.append(
            f"{name}.musicxml is the score in bars, {score_proof.notes} notes, with a tempo mark on each beat."
        )
    if "csv" in formats:
        files.append((f"{name} beats.csv", map_files.beats_as_csv(beat_map).encode()))
    if "labels" in formats:
        files.append((f"{name} labels.txt", map_files.beats_as_labels(beat_map).encode()))
    proofs = Proofs(map_files.prove_map(beat_map, midi, start_s, click), score_proof, steady_proof)
    return _kept(studio, folio_id, map_id, name, files, midi, words, left_out, proofs, formats)


def _told_of_map(beat_map: BeatMap, start_s: float) -> str:
    tempo_map = tempo_map_of(beat_map)
    begins = float(tempo_map.seconds_at(0.0))
    bars = int(places_of(beat_map).downbeat.sum())
    where = (
        "Its beginning is the recording's beginning"
        if start_s == 0
        else f"It begins {start_s:.3f} s into the recording"
    )
    weak = weakest_first(beat_map)
    between = sum(beat is None for beat, _ in weak)
    also = f" and {how_many(between, 'onset')} between beats" if between else ""
    doubt = f" {how_many(len(weak) - between, 'beat')}{also} in doubt: neither sure nor pinned." if weak else ""
    return (
        f"The tempo map of {how_many(len(beat_map.beats), 'beat')} in {how_many(bars, 'bar')}. {where}; "
        f"bar {beat_map.first_bar_number} begins at {begins:.4f} s of the recording.{doubt}"
    )


def _told_of_straight(proof: StraightProof) -> str:
    if not proof.strokes:
        return "Nothing is struck in the recording that could be found again in the straightened one."
    return (
        f"{proof.found} of {how_many(proof.strokes, 'stroke')} were found again in the straightened recording, "
        f"half of them within {proof.middle_ms:.1f} ms of where the map brings them, "
        f"nine in ten within {proof.nine_in_ten_ms:.1f} ms."
    )


def proof_text(proofs: Proofs, name: str) -> str:
    """The proofs of all that was written of a map, in words."""
    proof, score = proofs.map, proofs.score
    same = "The same" if proofs.same else "Not the same"
    rows = [
        f"{name}: {same}.",
        f"{proof.beats} beats read back lie at most {proof.worst_beat_ms:.4f} ms from the map, "
        f"{proof.pins} pins at most {proof.worst_pin_ms:.4f} ms.",
    ]
    if proof.clicks[1]:
        found, expected = proof.clicks
        rows.append(
            f"{found} of {expected} clicks were found again, at most {proof.worst_click_ms:.4f} ms from the map."
        )
    if score:
        rows.append(
            f"{score.notes} notes of the score were read back{'' if score.same else ', not as they were written'}; "
            f"its tempo marks bring each beat at most {score.worst_ms:.4f} ms from the map."
        )
    if proofs.steady:
        rows.append(_told_of_straight(proofs.steady))
    rows.append("No track is empty." if not proof.empty_tracks else f"{proof.empty_tracks} tracks are empty.")
    return "\n".join(rows)


def _kept(
    studio: Studio, folio_id: str, map_id: str, name: str, files: list[tuple[str, Content]], midi: bytes,
    words: list[str], left_out: list[str], proofs: Proofs, formats: list[str],
) -> dict[str, Any]:  # fmt: skip
    with studio.database.session() as session:
        folio = history.entity(session, folio_id, "settings", "settings")["title"]
        taken = set(session.scalars(select(HandOn.name).where(HandOn.folio_id == folio_id)))
    ending = "mid" if len(files) == 1 and files[0][0].endswith(".mid") else "zip"
    stem = file_stem("{folio} {part} map" if ending == "mid" else "{folio} {part} time", folio, name, 0)
    title = free_name(stem, taken, f".{ending}")
    text = proof_text(proofs, title)
    content = studio.files.add(midi) if ending == "mid" else keep_archive(studio.files, files, words, left_out, text)
    body = {
        "same": proofs.same, "notes": proofs.map.beats, "bends": 0, "greatest_ms": proofs.map.worst_beat_ms,
        "greatest_cents": 0.0, "differences": [], "text": text, "remarks": text.split("\n")[1:],
    }  # fmt: skip
    told = {"names": [title], "words": words, "left_out": left_out, "said": []}
    row = HandOn(
        id=uuid.uuid4().hex, folio_id=folio_id, at=time.time(), name=title, content=content,
        settings={"beat_map": map_id, "formats": formats, "told": told}, proof=body,
    )  # fmt: skip
    with studio.database.session() as session:
        session.add(row)
    return said(row)
