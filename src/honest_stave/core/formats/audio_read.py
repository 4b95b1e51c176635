"""Decodes a recording, recognised by its content, block by block.

WAV, FLAC, AIFF, MP3, Ogg Vorbis and Opus by libsndfile; M4A (AAC, ALAC), CAF and what
libsndfile leaves by FFmpeg's libraries. Encoder delay is taken off by both.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np
import soundfile
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput, TooLarge

BLOCK_FRAMES = 1 << 18
LONGEST_S = 4 * 3600.0
MOST_CHANNELS = 32
LOWEST_RATE, HIGHEST_RATE = 4000, 400_000
HINT = "Try WAV, FLAC, AIFF, MP3, Ogg, Opus or M4A."


@dataclass(frozen=True)
class AudioInfo:
    """What the file says of itself; ``frames`` is 0 where it does not say."""

    kind: str
    rate: int
    channels: int
    frames: int


def recognise(head: bytes) -> str | None:
    """Kind of file by its first bytes: an audio kind, ``midi``, or None."""
    if head[:4] == b"MThd" or (head[:4] == b"RIFF" and head[8:12] == b"RMID"):
        return "midi"
    if head[:4] in (b"RIFF", b"RIFX", b"RF64", b"riff") and (head[8:12] == b"WAVE" or head[:4] == b"riff"):
        return "wav"
    if head[:4] == b"fLaC":
        return "flac"
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return "aiff"
    if head[:4] == b"OggS":
        return "opus" if b"OpusHead" in head[:64] else "ogg"
    if head[4:8] == b"ftyp":
        return "m4a"
    if head[:3] == b"ID3" or (len(head) > 1 and head[0] == 0xFF and head[1] & 0xE0 == 0xE0 and head[1] & 0x06):
        return "mp3"
    if head[:4] == b"caff":
        return "caf"
    return None


def _check(info: AudioInfo) -> AudioInfo:
    if not LOWEST_RATE <= info.rate <= HIGHEST_RATE:
        raise BadInput(
            f"This recording runs at {info.rate} Hz.",
            f"Rates from {LOWEST_RATE} to {HIGHEST_RATE} Hz can be read. Convert it to 44100 Hz.",
        )
    if not 1 <= info.channels <= MOST_CHANNELS:
        raise TooLarge(f"This recording has {info.channels} channels.", f"At most {MOST_CHANNELS} can be read.")
    if info.frames > LONGEST_S * info.rate:
        raise TooLarge(
            f"This recording lasts {info.frames / info.rate / 3600:.1f} hours.",
            f"At most {LONGEST_S / 3600:.0f} hours can be read. Cut it first.",
        )
    return info


def open_audio(file: BinaryIO) -> tuple[AudioInfo, Iterator[NDArray[np.float32]]]:
    """Opens a recording.

    Args:
        file: positioned at its start, seekable.

    Returns:
        What it is, and its samples in blocks (frames, channels), float32.

    Raises:
        BadInput: no sound that can be read.
        TooLarge: over the limits of length or channels.
    """
    head = file.read(64)
    file.seek(0)
    if not head:
        raise BadInput("This file is empty.", HINT)
    kind = recognise(head)
    if kind is None or kind == "midi":
        raise BadInput("This file holds no sound we can read.", HINT)
    if kind in ("m4a", "caf"):
        return _open_with_ffmpeg(file, kind)
    try:
        sound = soundfile.SoundFile(file)
    except (soundfile.SoundFileError, RuntimeError, ValueError):
        file.seek(0)
        return _open_with_ffmpeg(file, kind)
    info = _check(AudioInfo(kind, sound.samplerate, sound.channels, max(int(sound.frames), 0)))
    return info, _sndfile_blocks(sound)


def _sndfile_blocks(sound: Any) -> Iterator[NDArray[np.float32]]:
    got = 0
    with sound:
        while True:
            try:
                block = sound.read(BLOCK_FRAMES, dtype="float32", always_2d=True)
            except (soundfile.SoundFileError, RuntimeError):
                block = np.zeros((0, sound.channels), np.float32)
            if len(block) == 0:
                break
            got += len(block)
            if got > LONGEST_S * sound.samplerate:
                raise TooLarge("This recording is too long.", f"At most {LONGEST_S / 3600:.0f} hours can be read.")
            yield block
    if got == 0:
        raise BadInput("This recording holds no samples.", "It may have been cut off. Export it again.")


def _open_with_ffmpeg(file: BinaryIO, kind: str) -> tuple[AudioInfo, Iterator[NDArray[np.float32]]]:
    # Imported here: a tenth of a second that WAV and FLAC need not wait.
    import av

    unreadable = BadInput("This file holds no sound we can read.", "It may have been cut off. " + HINT)
    try:
        container = av.open(file, mode="r")
        stream = container.streams.audio[0]
        rate, channels = int(stream.rate), int(stream.codec_context.channels)
        length_s = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
        frames = int(length_s * rate)
    except (av.error.FFmpegError, IndexError, ValueError, TypeError, AttributeError):
        raise unreadable from None
    info = _check(AudioInfo(kind, rate, channels, frames))
    return info, _ffmpeg_blocks(container, stream, channels, unreadable)


def _ffmpeg_blocks(container: Any, stream: Any, channels: int, unreadable: BadInput) -> Iterator[NDArray[np.float32]]:
    import av

    resampler = av.AudioResampler(format="flt", rate=stream.rate)
    got = 0
    waiting: list[NDArray[np.float32]] = []
    with container:
        frames = container.decode(stream)
        while True:
            try:
                frame = next(frames, None)
            except av.error.FFmpegError:
                frame = None
            for part in resampler.resample(frame):
                block = np.asarray(part.to_ndarray(), np.float32).reshape(-1, channels)
                got += len(block)
                waiting.append(block)
            if waiting and (frame is None or sum(map(len, waiting)) >= BLOCK_FRAMES):
                yield np.concatenate(waiting)
                waiting = []
            if got > LONGEST_S * stream.rate:
                raise TooLarge("This recording is too long.", f"At most {LONGEST_S / 3600:.0f} hours can be read.")
            if frame is None:
                break
    if got == 0:
        raise unreadable
