"""The network for strikes goes on from the one that the application ships, and ends part of the way from it.

The exporter turns weights round and keeps how strikes lie to one another as a table, worked out
once. Weights are turned back here; what makes the table is fitted to it.
"""

from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper

from training.onnx_file import KEPT
from training.strike_network import StrikeNetwork, network_of

# Steps in which what makes the table is fitted to it, and how large they are, first and last.
FITTING_STEPS, FITTING_RATES = 3000, (3e-3, 5e-4)
SEED = 5
# What the weights of the first network are called.
FIRST = "networks.0."
# Layers whose weights the exporter keeps as products, in the order in which it numbers them.
TURNED = (
    "first.1", "first.3",
    *(f"layers.{layer}.{part}" for layer in range(3) for part in ("asked", "answered", "own.0", "own.3")),
    "last.1",
)  # fmt: skip


def begin(path: Path, outputs: int, kept: Path) -> StrikeNetwork:
    """The shipped network as it was when this training began: done again, a training ends where it ended.

    Args:
        path: the ONNX file.
        outputs: of each strike.
        kept: where the beginning is kept.
    """
    if not kept.exists():
        torch.save(take_over(path, outputs).state_dict(), kept)
    return network_of(torch.load(kept), outputs)


def take_over(path: Path, outputs: int) -> StrikeNetwork:
    """The first of the shipped networks, ready to go on learning.

    Args:
        path: the ONNX file.
        outputs: of each strike.

    Raises:
        KeyError: the shipped network is of another build.
    """
    graph = onnx.load(path).graph
    found = {
        i.name.removesuffix(KEPT): torch.from_numpy(numpy_helper.to_array(i).astype(np.float32))
        for i in graph.initializer
    }
    products = sorted((n for n in found if n.startswith("onnx::MatMul")), key=lambda n: int(n.split("_")[1]))
    state = {n.removeprefix(FIRST): v for n, v in found.items() if n.startswith(FIRST)}
    # Those of the second network come after them.
    state |= {f"{layer}.weight": found[name].T.contiguous() for layer, name in zip(TURNED, products, strict=False)}
    levels = torch.stack([state["look.mean"], state["look.spread"]])
    torch.manual_seed(SEED)
    network = StrikeNetwork(state["mean"], state["spread"], outputs=outputs, levels=levels)
    fresh = network.state_dict()
    shaped = {name: value.reshape(fresh[name].shape) for name, value in state.items()}
    network.load_state_dict({n: v if n.startswith("lie.") else shaped[n] for n, v in fresh.items()})
    _fit_table(network, found["table"].t()[: network.heads * len(network.layers)])
    return network


def _fit_table(network: StrikeNetwork, table: torch.Tensor) -> None:
    optimiser = torch.optim.Adam(network.lie.parameters(), lr=FITTING_RATES[0])
    for step in range(FITTING_STEPS):
        if step == FITTING_STEPS * 2 // 3:
            optimiser.param_groups[0]["lr"] = FITTING_RATES[1]
        # The last column is what is not seen.
        error = ((network.lie.table()[:, :-1] - table[:, :-1]) ** 2).mean()
        optimiser.zero_grad()
        error.backward()
        optimiser.step()
