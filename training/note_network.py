"""The network for notes: bands in; onset, sounding, offset and velocity of 88 pitches out.

Each pitch sees the bands at its own harmonics (a stack, so that the same weights serve all
pitches). Residual blocks look along octaves, twelfths and neighbours, then along time; a
slow path sees more than a second. Two frames of bands make one cell of 23 ms.
"""

import torch
from torch import Tensor, nn
from torch.nn import functional

PITCHES = 88
SEMITONES = 104
FRAMES_PER_CELL = 2
# 36 log2(h) bands above the fundamental, for h = 0.5, 1, 2 ... 7 and the twelfth below.
HARMONIC_BANDS = (-57, -36, 0, 36, 57, 72, 84, 93, 101)
SHORT_STEPS = (0, 12, 19)
# Steps in pitch (semitones) and time (cells) at which the blocks look, in order.
PITCH_STEPS = (12, 1, 19, 12, 12)
PITCH_REACH = (5, 3, 3, 5, 5)
TIME_STEPS = (1, 1, 2, 1, 3)
OUTPUTS = ("onset", "sounding", "offset", "velocity")


class Block(nn.Module):
    """A look along pitch, then one along time, added to what came in."""

    def __init__(self, channels: int, pitch_step: int, pitch_reach: int, time_step: int) -> None:
        super().__init__()
        around = pitch_step * (pitch_reach // 2)
        self.pitch = nn.Conv2d(
            channels, channels, (1, pitch_reach), padding=(0, around), dilation=(1, pitch_step), bias=False
        )
        self.pitch_norm = nn.BatchNorm2d(channels)
        self.time = nn.Conv2d(
            channels, channels, (5, 1), padding=(2 * time_step, 0), dilation=(time_step, 1), bias=False
        )
        self.time_norm = nn.BatchNorm2d(channels)

    def forward(self, heard: Tensor) -> Tensor:
        inner = functional.relu(self.pitch_norm(self.pitch(heard)))
        return functional.relu(heard + self.time_norm(self.time(inner)))


class NoteNetwork(nn.Module):
    """Bands (batch, frames, 312) and (batch, frames, 104), scaled, to logits (batch, 4, cells, 88)."""

    def __init__(self, channels: int = 48) -> None:
        super().__init__()
        self.stack = nn.Conv2d(len(HARMONIC_BANDS), channels, (4, 5), stride=(2, 3), padding=(1, 1))
        self.strokes = nn.Conv2d(len(SHORT_STEPS), channels // 2, (6, 3), stride=(2, 1), padding=(2, 1))
        self.join = nn.Conv2d(channels + channels // 2, channels, 1, bias=False)
        self.join_norm = nn.BatchNorm2d(channels)
        self.blocks = nn.ModuleList(
            Block(channels, p, r, t) for p, r, t in zip(PITCH_STEPS, PITCH_REACH, TIME_STEPS, strict=True)
        )
        slow = channels // 2
        self.slow_in = nn.Conv2d(channels, slow, 1)
        self.slow = nn.Sequential(
            nn.Conv2d(slow, slow, (5, 1), padding=(2, 0)), nn.ReLU(),
            nn.Conv2d(slow, slow, (5, 1), padding=(4, 0), dilation=(2, 1)), nn.ReLU(),
        )  # fmt: skip
        self.slow_out = nn.Conv2d(slow, channels, 1)
        self.last = nn.Conv2d(channels, channels, (3, 3), padding=(1, 1))
        self.heads = nn.Conv2d(channels, len(OUTPUTS), 1)

    def forward(self, long: Tensor, short: Tensor) -> Tensor:
        wide = functional.pad(long, (60, 108))
        stacked = torch.stack([wide[:, :, 60 + b : 60 + b + 3 * PITCHES] for b in HARMONIC_BANDS], dim=1)
        padded = functional.pad(short, (0, 4))
        strokes = torch.stack([padded[:, :, s : s + PITCHES] for s in SHORT_STEPS], dim=1)
        heard = torch.cat([functional.relu(self.stack(stacked)), functional.relu(self.strokes(strokes))], dim=1)
        heard = functional.relu(self.join_norm(self.join(heard)))
        half = len(self.blocks) // 2 + 1
        for block in self.blocks[:half]:
            heard = block(heard)
        slow = functional.avg_pool2d(functional.relu(self.slow_in(heard)), (4, 1))
        slow = self.slow_out(self.slow(slow)).repeat_interleave(4, dim=2)
        heard = functional.relu(heard + slow)
        for block in self.blocks[half:]:
            heard = block(heard)
        logits: Tensor = self.heads(functional.relu(self.last(heard)))
        return logits
