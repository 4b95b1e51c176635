"""The network for strikes goes on from the one that the application ships, and ends part of the way from it.

The exporter keeps how strikes lie to one another as a table, worked out once: what makes it is fitted to it here.
"""

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import numpy as np
import onnx
import torch
from onnx import numpy_helper

from training.onnx_file import KEPT
from training.shipped import Weights, layer_of, part_of, take_over, weights_of
from training.strike_network import StrikeNetwork, network_of

# Steps in which what makes the table is fitted to it, and how large they are, first and last.
FITTING_STEPS, FITTING_RATES = 3000, (3e-3, 5e-4)
SEED = 5
T = TypeVar("T", bound=StrikeNetwork)


def begin(path: Path, outputs: int, kept: Path, place: int = 0) -> StrikeNetwork:
    """The shipped network as it was when this training began: done again, a training ends where it ended.

    Args:
        path: the ONNX file.
        outputs: of each strike.
        kept: where the beginning is kept.
        place: of the network among those in the file.
    """
    if not kept.exists():
        torch.save(shipped_network(path, outputs, place).state_dict(), kept)
    return network_of(torch.load(kept), outputs)


def shipped_network(path: Path, outputs: int, place: int = 0) -> StrikeNetwork:
    """One of the shipped networks that look at levels, ready to go on learning.

    Args:
        path: the ONNX file.
        outputs: of each strike.
        place: of the network among them.

    Raises:
        KeyError: the shipped network is of another build.
    """

    def make(own: Weights) -> StrikeNetwork:
        levels = torch.stack([own["look.mean"], own["look.spread"]])
        return StrikeNetwork(own["mean"], own["spread"], outputs=outputs, levels=levels)

    return restored(path, make, place)


def restored(path: Path, make: Callable[[Weights], T], place: int = 0) -> T:
    """A network with the weights of one of those that are shipped together.

    Args:
        path: the ONNX file.
        make: the network from its weights, for what these say of its shape.
        place: of the network among them.

    Raises:
        KeyError: the shipped network is of another build.
    """
    weights = weights_of(path)
    again = f"{_again(place)}.weight"
    turned = {name.removesuffix(again) + ".weight": w for name, w in weights.items() if name.endswith(again)}
    own = turned | part_of(weights, f"networks.{place}")
    torch.manual_seed(SEED)
    network = make(own)
    begun = {f"lie.{name}": value for name, value in network.lie.state_dict().items()}
    take_over(network, own | begun)
    tables = weights["table"].t().split(network.heads * len(network.layers))
    _fit_table(network, tables[place])
    return network


def _again(place: int) -> str:
    """How the exporter numbers the layers of a network: what is weighed does not go by the way of its call."""
    return f"_{place}" if place else ""


def write_over(path: Path, network: StrikeNetwork, place: int) -> None:
    """Writes one of the shipped networks anew; the others stay as they are to the last bit.

    Args:
        path: the ONNX file.
        network: with its new weights.
        place: of the network among them.
    """
    model = onnx.load(path)
    state = {name: value.detach().numpy() for name, value in network.state_dict().items()}
    new = {f"networks.{place}.{name}": value for name, value in state.items()}
    for node in model.graph.node:
        layer = layer_of(node)
        if node.op_type == "MatMul" and layer.endswith(_again(place)):
            name = f"{layer.removesuffix(_again(place))}.weight"
            new |= {node.input[1]: state[name].T} if name in state else {}
    for weights in model.graph.initializer:
        name, old = weights.name.removesuffix(KEPT), numpy_helper.to_array(weights)
        if name == "table":
            columns = network.heads * len(network.layers)
            value = old.copy()
            value[:, place * columns : (place + 1) * columns] = network.lie.table().detach().numpy().T
        elif name in new:
            value = new[name].reshape(old.shape).astype(old.dtype)
        else:
            continue
        weights.CopyFrom(numpy_helper.from_array(np.ascontiguousarray(value), weights.name))
    onnx.save(model, path)


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
