"""Every format gives the same samples at the same moments; what is broken gives one clear line."""

import contextlib
import io
from fractions import Fraction

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.errors import StaveError
from honest_stave.core.formats.audio_read import open_audio, recognise
from honest_stave.core.formats.hints import hints_from_name, timeline_of_wav
from tests.made import RATE, line, tune, wav

SOUND = line(tune())


def m4a(codec: str, samples: np.ndarray) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream = container.add_stream(codec, rate=RATE, layout="mono")
        frame = av.AudioFrame.from_ndarray(samples.T.astype(np.float32), format="fltp", layout="mono")
        frame.sample_rate = RATE
        frame.pts, frame.time_base = 0, Fraction(1, RATE)
        resampler = av.AudioResampler(format=stream.codec_context.format or "fltp", layout="mono", rate=RATE)
        for part in resampler.resample(frame):
            for packet in stream.encode(part):
                container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)
    return out.getvalue()


def decoded(data: bytes) -> tuple[np.ndarray, int]:
    info, blocks = open_audio(io.BytesIO(data))
    return np.concatenate(list(blocks)), info.rate


def delay_samples(sound: np.ndarray) -> int:
    """By how many samples ``sound`` lies later than the original."""
    size = 1 << 19
    spectrum = np.fft.rfft(sound[:, 0], size) * np.conj(np.fft.rfft(SOUND[:, 0], size))
    lag = int(np.argmax(np.fft.irfft(spectrum)))
    return lag - size if lag > size // 2 else lag


LOSSLESS = {
    "wav 8 bit": wav(SOUND, subtype="PCM_U8"),
    "wav 16 bit": wav(SOUND),
    "wav 24 bit": wav(SOUND, subtype="PCM_24"),
    "wav 32 bit": wav(SOUND, subtype="PCM_32"),
    "wav float": wav(SOUND, subtype="FLOAT"),
    "wav extensible": wav(SOUND, kind="WAVEX"),
    "flac": wav(SOUND, kind="FLAC"),
    "aiff": wav(SOUND, kind="AIFF"),
    "alac": m4a("alac", SOUND),
}
LOSSY = {
    "mp3": wav(SOUND, kind="MP3", subtype="MPEG_LAYER_III"),
    "ogg": wav(SOUND, kind="OGG", subtype="VORBIS"),
    "m4a": m4a("aac", SOUND),
}


@pytest.mark.parametrize("kind", LOSSLESS)
def test_lossless_formats(kind: str) -> None:
    sound, rate = decoded(LOSSLESS[kind])
    assert rate == RATE
    assert abs(len(sound) - len(SOUND)) <= 4096  # the last frame of ALAC is filled up
    grain = 1 / 128 if "8 bit" in kind else 1 / 32768
    assert np.abs(sound[: len(SOUND)] - SOUND).max() <= 1.01 * grain


@pytest.mark.parametrize("kind", LOSSY)
def test_encoder_delay_is_taken_off(kind: str) -> None:
    sound, rate = decoded(LOSSY[kind])
    assert rate == RATE
    assert abs(delay_samples(sound)) <= 44  # 1 ms


def test_opus_at_its_own_rate() -> None:
    sound, rate = decoded(wav(line(tune(), 48000), 48000, kind="OGG", subtype="OPUS"))
    assert rate == 48000
    assert abs(len(sound) / 48000 - len(SOUND) / RATE) < 0.01


def test_recognised_by_content_and_not_by_name() -> None:
    assert recognise(LOSSLESS["wav 16 bit"]) == "wav"
    assert recognise(LOSSLESS["flac"]) == "flac"
    assert recognise(LOSSY["mp3"]) == "mp3"
    assert recognise(LOSSY["m4a"]) == "m4a"
    assert recognise(b"MThd" + bytes(20)) == "midi"
    assert recognise(b"hello, this is text") is None


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "This file is empty"),
        (b"just some text about a goat", "no sound we can read"),
        (LOSSLESS["wav 16 bit"][:40], "no samples|no sound"),
        (LOSSY["m4a"][:200], "no sound we can read"),
        (b"MThd" + bytes(10), "no sound we can read"),
    ],
)
def test_what_cannot_be_read_says_so(data: bytes, words: str) -> None:
    with pytest.raises(StaveError, match=words):
        decoded(data)


def test_a_file_cut_short_gives_what_is_there() -> None:
    sound, _ = decoded(LOSSLESS["wav 16 bit"][: len(LOSSLESS["wav 16 bit"]) // 2])
    assert 0.4 < len(sound) / len(SOUND) < 0.6


@pytest.mark.parametrize("rate", [8000, 384000])
def test_rates_at_the_edges(rate: int) -> None:
    sound, read_rate = decoded(wav(np.zeros((rate, 1), np.float32), rate))
    assert read_rate == rate
    assert len(sound) == rate


@given(
    st.binary(max_size=300),
    st.sampled_from([b"RIFF\0\0\0\0WAVEfmt ", b"fLaC", b"OggS", b"\xff\xfb", b"\0\0\0 ftypM4A "]),
)
def test_garbage_never_escapes_as_another_error(data: bytes, head: bytes) -> None:
    with contextlib.suppress(StaveError):
        decoded(head + data)


@pytest.mark.parametrize(
    ("name", "bpm", "key"),
    [
        ("bass 96bpm Am.wav", 96.0, "A minor"),
        ("whistle theme 112bpm D major.wav", 112.0, "D major"),
        ("Loop_147.5_BPM_F#min.aif", 147.5, "F# minor"),
        ("take 3.wav", None, None),
        ("A day at 9000bpm.wav", None, None),
    ],
)
def test_hints_in_names(name: str, bpm: float | None, key: str | None) -> None:
    assert hints_from_name(name) == (bpm, key)


def test_time_stamp_in_a_broadcast_chunk() -> None:
    body = bytes(338) + (RATE * 3600).to_bytes(8, "little") + bytes(256)
    chunk = b"bext" + len(body).to_bytes(4, "little") + body
    plain = wav(SOUND)
    stamped = plain[:12] + chunk + plain[12:]
    assert timeline_of_wav(io.BytesIO(stamped), RATE) == pytest.approx(3600.0)
    assert timeline_of_wav(io.BytesIO(plain), RATE) is None
