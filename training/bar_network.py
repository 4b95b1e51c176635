"""The second network for beats: a row of beats in; which begin bars, in which meter, and whether the row is right."""

from torch import Tensor, nn

from honest_stave.core.beat.beats_hearing import METERS
from training.attention import AttentionLayer

# Beats farther apart than this are told apart no more.
MOST_BEATS = 48
# Features farther out than this many spreads say no more.
FARTHEST = 6.0
OUTPUTS = 2 + len(METERS)


class Attending(nn.Module):
    """Scaled features (batch, beats, features) and numbers of beats (batch, beats) to logits, by attention."""

    def __init__(self, features: int, width: int = 64, heads: int = 4, layers: int = 3) -> None:
        super().__init__()
        self.heads = heads
        self.first = nn.Sequential(nn.Dropout(0.2), nn.Linear(features, width), nn.ReLU(), nn.Linear(width, width))
        self.away = nn.Embedding(2 * MOST_BEATS + 1, heads * layers)
        nn.init.zeros_(self.away.weight)
        self.layers = nn.ModuleList(AttentionLayer(width, heads) for _ in range(layers))
        self.last = nn.Sequential(nn.LayerNorm(width), nn.Dropout(0.2), nn.Linear(width, OUTPUTS))

    def forward(self, scaled: Tensor, number: Tensor, absent: Tensor | None) -> Tensor:
        apart = (number[:, None] - number[:, :, None]).clamp(-MOST_BEATS, MOST_BEATS) + MOST_BEATS
        away = self.away(apart).permute(0, 3, 1, 2)
        if absent is not None:
            away = away.masked_fill(absent[:, None, None], -1e4)
        beats = self.first(scaled)
        for layer, own in zip(self.layers, away.split(self.heads, dim=1), strict=True):
            beats = layer(beats, own)
        out: Tensor = self.last(beats)
        return out


class Following(nn.Module):
    """The same from beat to beat, forwards and backwards."""

    def __init__(self, features: int, width: int = 48) -> None:
        super().__init__()
        self.enter = nn.Sequential(nn.Linear(features, width), nn.ReLU(), nn.Dropout(0.3))
        self.memory = nn.GRU(width, width, batch_first=True, bidirectional=True)
        self.leave = nn.Sequential(nn.Dropout(0.3), nn.Linear(2 * width, OUTPUTS))

    def forward(self, scaled: Tensor) -> Tensor:
        out: Tensor = self.leave(self.memory(self.enter(scaled))[0])
        return out


class BarNetwork(nn.Module):
    """Features (batch, beats, features) and numbers of beats (batch, beats) to logits (batch, beats, 2 + meters).

    The first says that a beat begins a bar, the second that the music is counted as the row counts it.
    Two networks that err differently each learn all of it; what they say in the mean is surer than either.

    Args:
        mean, spread: of the features, (features,).
    """

    def __init__(self, mean: Tensor, spread: Tensor) -> None:
        super().__init__()
        self.mean: Tensor
        self.spread: Tensor
        self.register_buffer("mean", mean)
        self.register_buffer("spread", spread)
        self.attending = Attending(len(mean))
        self.following = Following(len(mean))

    def both(self, features: Tensor, number: Tensor, absent: Tensor | None = None) -> tuple[Tensor, Tensor]:
        """What each of the two says."""
        scaled = ((features - self.mean) / self.spread).clamp(-FARTHEST, FARTHEST)
        return self.attending(scaled, number, absent), self.following(scaled)

    def forward(self, features: Tensor, number: Tensor) -> Tensor:
        one, other = self.both(features, number)
        return (one + other) / 2
