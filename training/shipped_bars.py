"""The second network for beats as the application ships it, to go on training from."""

from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper

from training.bar_network import BarNetwork
from training.onnx_file import KEPT
from training.shipped import Weights, part_of, take_over, weights_of

# Gates of a recurrent layer stand in this order in the file, those of the library in which it learns as the second.
GATES = [1, 0, 2]
DIRECTIONS = ("", "_reverse")


def shipped_bars(path: Path, count: int) -> list[BarNetwork]:
    """The networks whose mean is shipped, (count,)."""
    weights = weights_of(path) | _remembered(path)
    found = []
    for number in range(count):
        own = {name: weights[f"networks.0.{name}"] for name in ("mean", "spread")}
        own |= part_of(weights, f"networks.{number}")
        network = BarNetwork(own["mean"], own["spread"])
        take_over(network, own)
        found.append(network)
    return found


def _remembered(path: Path) -> Weights:
    """Weights of the recurrent layers, by their names in training."""
    graph = onnx.load(path).graph
    kept = {i.name.removesuffix(KEPT): numpy_helper.to_array(i).astype(np.float32) for i in graph.initializer}
    found: Weights = {}
    for node in (n for n in graph.node if n.op_type == "GRU"):
        layer = ".".join(node.name.strip("/").split("/")[:-1])
        entering, remembering, added = (kept[name] for name in node.input[1:4])
        for place, direction in enumerate(DIRECTIONS):
            both = np.split(added[place], 2)
            of = {
                "weight_ih": entering[place],
                "weight_hh": remembering[place],
                "bias_ih": both[0],
                "bias_hh": both[1],
            }
            for name, value in of.items():
                ordered = np.concatenate([np.split(value, len(GATES))[gate] for gate in GATES])
                found[f"{layer}.{name}_l0{direction}"] = torch.from_numpy(ordered)
    return found
