"""The first network for beats: where they lie in a recording, and how long they are."""

import torch
from torch import nn

from honest_stave.core.beat.beats_hearing import TEMPO_CLASSES
from honest_stave.core.beat.heard import COLUMNS

WIDTH = 40
DILATIONS = (1, 2, 4, 8, 16, 32, 64, 128, 256, 512)


class _Block(nn.Module):
    def __init__(self, dilation: int) -> None:
        super().__init__()
        self.wide = nn.Conv1d(WIDTH, WIDTH, 3, padding=dilation, dilation=dilation)
        self.mix = nn.Conv1d(WIDTH, WIDTH, 1)
        self.norm = nn.BatchNorm1d(WIDTH)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return x + self.mix(torch.relu(self.norm(self.wide(x))))


class BeatNetwork(nn.Module):
    """(batch, cells, columns) to logits of beat, downbeat and beat lengths, (batch, cells, 2 + classes)."""

    def __init__(self) -> None:
        super().__init__()
        self.enter = nn.Conv1d(COLUMNS, WIDTH, 5, padding=2)
        self.first = nn.ModuleList(_Block(d) for d in DILATIONS)
        # What the whole clip is like is given back to every moment.
        self.whole = nn.Linear(2 * WIDTH, WIDTH)
        self.second = nn.ModuleList(_Block(d) for d in (1, 4, 16, 64))
        self.leave = nn.Conv1d(WIDTH, 2 + TEMPO_CLASSES, 1)

    def norms(self) -> dict[str, str]:
        """The norm after each convolution that has one, by name."""
        return {name: f"{name[: -len('wide')]}norm" for name, _ in self.named_modules() if name.endswith(".wide")}

    def forward(self, columns: torch.Tensor) -> torch.Tensor:
        x = self.enter(columns.transpose(1, 2))
        for block in self.first:
            x = block(x)
        mean = x.mean(dim=2)
        deviation = torch.sqrt(((x - mean[:, :, None]) ** 2).mean(dim=2) + 1e-4)
        x = x + self.whole(torch.cat([mean, deviation], dim=1))[:, :, None]
        for block in self.second:
            x = block(x)
        return self.leave(torch.relu(x)).transpose(1, 2)
