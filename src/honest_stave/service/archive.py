"""What is handed on as several files: one ZIP, with what was written and its proof in words."""

import time
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from honest_stave.store.files import COPY_BYTES, Files

# Bytes, those of a file, or blocks one after the other: an hour of recording need not be in memory.
Content = bytes | Path | Iterable[bytes]


def keep_archive(
    files: Files,
    contents: Iterable[tuple[str, Content]],
    words: Sequence[str],
    left_out: Sequence[str] | None,
    proof: str,
) -> str:
    """Keeps contents in one ZIP; returns its name.

    Args:
        files: where it is kept.
        contents: (path in the archive, content).
        words: what was written.
        left_out: what was not; None where that is no question.
        proof: in words, empty for none.

    Raises:
        NoRoom: the disk is full.
    """
    listed = ["Written:", *words, ""]
    if left_out is not None:
        listed += ["Left out:", *(left_out or ["nothing"]), ""]
    with files.writing() as incoming:
        with zipfile.ZipFile(incoming.file, "w", zipfile.ZIP_DEFLATED) as archive:
            for path, content in contents:
                with archive.open(_entry(path), "w", force_zip64=True) as entry:
                    for block in _blocks(content):
                        entry.write(block)
            archive.writestr("what was written.txt", "\n".join(listed))
            if proof:
                archive.writestr("proof.txt", proof)
        return incoming.keep()


def _entry(path: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(path, time.localtime()[:6])
    # A recording hardly gets smaller, and takes its time to.
    entry.compress_type = zipfile.ZIP_STORED if path.endswith(".wav") else zipfile.ZIP_DEFLATED
    return entry


def _blocks(content: Content) -> Iterator[bytes]:
    if isinstance(content, bytes):
        yield content
    elif isinstance(content, Path):
        with content.open("rb") as file:
            while block := file.read(COPY_BYTES):
                yield block
    else:
        yield from content
