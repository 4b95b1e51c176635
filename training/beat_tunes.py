"""Public-domain tunes and part songs with their bars, many of them, and tunes with an accompaniment of our own.

python -m training.beat_tunes CACHE

None shares a long melody with a clip we measure on or with a score of the tuning set.
"""

import argparse
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from training.accompanied import accompanied
from training.beat_alone import alone
from training.beat_borrowed import bar_score, load_scores, parsed_piece
from training.beat_scores import Random, Score
from training.borrowed import _grams, _practice_melodies

# Folders of the package with tunes of one voice, and with part songs; at most so many tunes of one file.
TUNES = ("ryansMammoth", "airdsAirs", "essenFolksong")
# A collection that measures; a quarter of its tunes are also in those that are learnt from.
UNHEARD_TUNES = ("oneills1850",)
PART_SONGS = ("bach", "haydn", "mozart", "beethoven", "schumann_robert", "schumann_clara", "monteverdi", "handel",
              "corelli", "schubert", "joplin", "verdi", "weber")  # fmt: skip
TUNES_OF_A_FILE = 60
# Pieces in which harmony and melody make a bar felt are long enough for a clip.
LEAST_NOTES = 24


# How often each meter is drawn: the package's own shares would be nearly all in four.
METERS = {(4, False): 0.36, (3, False): 0.3, (2, False): 0.1, (2, True): 0.16, (3, True): 0.05, (4, True): 0.03}
# Dances in two and in six are what is played alone most.
METERS_ALONE = {(4, False): 0.28, (3, False): 0.24, (2, False): 0.16, (2, True): 0.27, (3, True): 0.05}


@dataclass(frozen=True)
class Wider:
    """Tunes, part songs, and tunes that nothing learns from, each by meter."""

    tunes: dict[tuple[int, bool], list[Score]]
    part_songs: dict[tuple[int, bool], list[Score]]
    unheard: dict[tuple[int, bool], list[Score]]

    def drawn(self, random: Random, kind: str) -> Score:
        """A tune with an accompaniment, a part song, or a tune alone, one that is learnt from or not."""
        by_meter = {"tune": self.tunes, "alone": self.tunes, "unheard": self.unheard}.get(kind, self.part_songs)
        weights = METERS if kind in ("tune", "part song") else METERS_ALONE
        meters = [m for m in weights if m in by_meter]
        share = np.array([weights[m] for m in meters])
        of = by_meter[meters[int(random.choice(len(meters), p=share / share.sum()))]]
        score = of[int(random.integers(len(of)))]
        if kind in ("alone", "unheard"):
            return alone(random, score)
        return accompanied(random, score) if kind == "tune" else score


def wider_scores(cache: Path) -> Wider:
    """All that was parsed, in felt beats."""

    def of(folders: tuple[str, ...]) -> dict[tuple[int, bool], list[Score]]:
        by_meter: dict[tuple[int, bool], list[Score]] = {}
        for folder in folders:
            for score in map(bar_score, json.loads((cache / f"bars-of-{folder}.json").read_text())):
                if score:
                    meter = (int(np.median(score.bar_beats)), score.compound)
                    by_meter.setdefault(meter, []).append(score)
        return by_meter

    return Wider(of(TUNES), of(PART_SONGS), of(UNHEARD_TUNES))


def parse_all(cache: Path) -> None:
    """Parses what the package holds, a folder at a time, and keeps it; takes about 15 minutes."""
    known = _practice_melodies()
    for score in load_scores(cache, tuning=True):
        for part in {n.part for n in score.notes}:
            known |= _grams([n.pitch for n in score.notes if n.part == part])
    for folder in (*PART_SONGS, *TUNES, *UNHEARD_TUNES):
        path = cache / f"bars-of-{folder}.json"
        if not path.exists():
            path.write_text(json.dumps(_parsed(folder, known)))


def _parsed(folder: str, known: set[tuple[int, ...]]) -> list[dict[str, object]]:
    from music21 import corpus, stream

    pieces: list[dict[str, object]] = []
    for file in (p for p in corpus.getPaths() if folder in p.parts and p.suffix != ".rntxt"):
        try:
            parsed = corpus.parse(file)
        except Exception:
            # What a package cannot parse is simply not used.
            continue
        scores = list(parsed.scores)[:TUNES_OF_A_FILE] if isinstance(parsed, stream.Opus) else [parsed]
        for score in scores:
            try:
                pieces.append(parsed_piece(score, known, LEAST_NOTES))
            except Exception:
                # A piece in changing or rare meters, or one we measure on.
                continue
    print(folder, len(pieces), flush=True)
    return pieces


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parse_all(parser.parse_args().cache)
