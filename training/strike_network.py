"""A network that weighs each strike with all others of its passage, by what they are and how they lie."""

from pathlib import Path
from typing import Any

import torch
from torch import Tensor, nn

from training.attention import AttentionLayer
from training.look import Look
from training.onnx_file import halve, write_onnx
from training.passage_windows import Rows, hidden_of

# Pitches farther apart than this say no more; moments are told apart in so many steps to either side.
MOST_SEMITONES, MOST_STEPS = 48, 30
# Steps of time grow: four to each doubling from this on, so that the last is 3.6 s.
STEP_S, STEPS_A_DOUBLING = 0.02, 4
FADING_S = (0.015, 0.03, 0.06, 0.12, 0.25, 0.5, 1.0, 2.0)
# What keeps strikes that do not see one another apart.
UNSEEN = -1e4
# Channels of the layers that look at the levels about a strike.
CHANNELS = (32, 48, 48)
# Measures farther out than this many spreads say no more.
FARTHEST = 6.0


class Lie(nn.Module):
    """How two strikes lie to one another, in semitones and in time, as what speaks for attending: a table.

    Args:
        outputs: of the table, one for each head of each layer.
    """

    def __init__(self, outputs: int, inner: int = 32) -> None:
        super().__init__()
        step = torch.arange(-MOST_STEPS, MOST_STEPS + 1.0)
        apart_s = STEP_S * (2 ** (step.abs() / STEPS_A_DOUBLING) - 1)
        fading = torch.stack([torch.exp(-apart_s / s) for s in FADING_S] + [step / MOST_STEPS], dim=1)
        self.moments: Tensor
        self.register_buffer("moments", torch.cat([fading, fading * step.sign()[:, None]], dim=1))
        self.semitones = nn.Embedding(2 * MOST_SEMITONES + 1, 10)
        self.within = nn.Sequential(
            nn.Linear(self.moments.shape[1] + 10, inner), nn.ReLU(), nn.Linear(inner, inner), nn.ReLU(),
            nn.Linear(inner, outputs),
        )  # fmt: skip

    def table(self) -> Tensor:
        """The outputs for every distance, and last for what is not seen, (outputs, semitones x steps + 1)."""
        moments = self.moments[None].expand(len(self.semitones.weight), -1, -1)
        semitones = self.semitones.weight[:, None].expand(-1, moments.shape[1], -1)
        found: Tensor = self.within(torch.cat([moments, semitones], dim=2))
        apart = found.new_full((1, found.shape[2]), UNSEEN)
        return torch.cat([found.flatten(0, 1), apart]).t().contiguous()


def places(time_s: Tensor, pitch: Tensor) -> Tensor:
    """Column of ``Lie.table`` for each pair of strikes, (batch, strikes, strikes)."""
    apart_s = time_s[:, None] - time_s[:, :, None]
    semitones = (pitch[:, None] - pitch[:, :, None]).clamp(-MOST_SEMITONES, MOST_SEMITONES) + MOST_SEMITONES
    step = apart_s.sign() * STEPS_A_DOUBLING * torch.log2(1 + apart_s.abs() / STEP_S)
    return semitones * (2 * MOST_STEPS + 1) + step.round().clamp(-MOST_STEPS, MOST_STEPS).long() + MOST_STEPS


class Looked(torch.autograd.Function):
    """Columns of a table at places: what indexing does, with a sum in place of a sort on the way back."""

    @staticmethod
    def forward(context: Any, table: Tensor, place: Tensor) -> Tensor:
        """Table (outputs, columns) and places (...) to (outputs, ...)."""
        context.save_for_backward(place)
        context.columns = table.shape[1]
        return torch.stack([row.take(place) for row in table])

    @staticmethod
    def backward(context: Any, slope: Tensor) -> tuple[Tensor, None]:
        """Every column gets what came back from its places."""
        (place,) = context.saved_tensors
        flat = place.flatten()
        rows = [torch.bincount(flat, row.flatten(), minlength=context.columns) for row in slope]
        return torch.stack(rows).to(slope.dtype), None


class StrikeNetwork(nn.Module):
    """Rows of strikes, as ``passage_windows`` makes them, to (batch, strikes, outputs).

    Args:
        mean, spread: of the measures, (inputs,).
        outputs: of each strike.
        levels: mean and spread of the levels about a strike where these are seen too, (2, views, semitones).
    """

    def __init__(
        self,
        mean: Tensor,
        spread: Tensor,
        outputs: int,
        width: int = 64,
        heads: int = 4,
        layers: int = 3,
        levels: Tensor | None = None,
    ) -> None:
        super().__init__()
        self.mean: Tensor
        self.spread: Tensor
        self.register_buffer("mean", mean)
        self.register_buffer("spread", spread)
        self.heads = heads
        self.first = nn.Sequential(
            nn.Dropout(0.1), nn.Linear(len(mean) + 1, width), nn.ReLU(), nn.Linear(width, width)
        )
        self.look = None if levels is None else Look(levels, width, CHANNELS)
        self.lie = Lie(heads * layers)
        self.layers = nn.ModuleList(AttentionLayer(width, heads) for _ in range(layers))
        self.last = nn.Sequential(nn.LayerNorm(width), nn.Linear(width, outputs))

    def forward(self, rows: Rows) -> Tensor:
        """What the network says; no strike sees another passage."""
        table = self.lie.table()
        place = places(rows["onset_s"], rows["pitch"])
        place = place.masked_fill(hidden_of(rows), table.shape[1] - 1)
        away = Looked.apply(table, place)
        return self.weighed(rows["inputs"], away, rows["one_voice"], rows.get("levels"), rows["there"])

    def weighed(
        self,
        measures: Tensor,
        away: Tensor,
        one_voice: Tensor,
        levels: Tensor | None = None,
        there: Tensor | None = None,
    ) -> Tensor:
        """What it says of measures (batch, strikes, inputs) and levels (batch, strikes, views, semitones).

        ``away`` is (heads x layers, batch, strikes, strikes); ``there`` marks strikes of a padded batch.
        """
        scaled = ((measures - self.mean) / self.spread).clamp(-FARTHEST, FARTHEST)
        voices = one_voice[:, None, None].expand(-1, scaled.shape[1], 1)
        strikes = self.first(torch.cat([scaled, voices], dim=2))
        if self.look is not None and levels is not None:
            strikes = self.look.added(strikes, levels, there)
        for layer, own in zip(self.layers, away.split(self.heads), strict=True):
            strikes = layer(strikes, own.transpose(0, 1))
        return self.told(strikes, scaled)

    def told(self, strikes: Tensor, scaled: Tensor) -> Tensor:
        """Outputs of what was thought of each strike, and of its own measures."""
        out: Tensor = self.last(strikes)
        return out


def network_of(state: dict[str, Tensor], outputs: int) -> StrikeNetwork:
    """A network that looks at levels, of its weights."""
    levels = torch.stack([state["look.mean"], state["look.spread"]])
    network = StrikeNetwork(state["mean"], state["spread"], outputs=outputs, levels=levels)
    network.load_state_dict(state)
    return network


class Shipped(nn.Module):
    """Networks as they are exported, what one says after what another says: their tables worked out once."""

    def __init__(self, networks: tuple[StrikeNetwork, ...]) -> None:
        super().__init__()
        self.networks = nn.ModuleList(networks)
        # One row of all tables for each place: the runtime copies rows many times as fast as it picks single numbers.
        self.table: Tensor
        self.register_buffer("table", torch.cat([n.lie.table().detach() for n in networks]).t().contiguous())

    def forward(
        self, measures: Tensor, time_s: Tensor, pitch: Tensor, one_voice: Tensor, levels: Tensor | None = None
    ) -> Tensor:
        away = self.table[places(time_s, pitch)].permute(3, 0, 1, 2).chunk(len(self.networks))
        said = [n.weighed(measures, own, one_voice, levels) for n, own in zip(self.networks, away, strict=True)]
        return torch.cat(said, dim=2)


def export(target: Path, *networks: StrikeNetwork) -> None:
    """Writes networks that see the same as the one that the application ships."""
    network = networks[0]
    given: tuple[Tensor, ...] = (
        torch.zeros(1, 8, len(network.mean)), torch.arange(8.0)[None], torch.arange(60, 68)[None], torch.ones(1),
    )  # fmt: skip
    names = ["strikes", "time_s", "pitch", "one_voice"]
    if network.look:
        given = (*given, torch.zeros(1, 8, *network.look.mean.shape))
        names.append("levels")
    axes = {name: {1: "count"} for name in (*names, "said") if name != "one_voice"}
    write_onnx(Shipped(networks).eval(), given, target, (*names, "said"), axes)
    halve(target)
