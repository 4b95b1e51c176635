"""Writes the trained network for notes as the ONNX file that the application ships.

    python -m training.export_notes CACHE [--channels 48]

Everything but the last layer is kept in 8 bits (weights in 7, so that no processor overflows):
more than twice as quick, and no measurable loss. The network in single precision is kept beside the material.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from onnxruntime.quantization import CalibrationDataReader, QuantFormat, QuantType, quantize_static
from onnxruntime.quantization.shape_inference import quant_pre_process

from honest_stave.core.pitch.scaling import scaled
from training import clips as recipes
from training.material import LOWEST_DB, STEP_DB, load
from training.measure_notes import open_network
from training.note_batches import reference_of
from training.onnx_file import make_ready, write_onnx

TARGET = Path(__file__).parents[1] / "src" / "honest_stave" / "core" / "networks" / "notes.onnx"
EXAMPLE_FRAMES = 64
# Clips on which the ranges of 8 bits are measured, and their frames.
RANGED_ON, RANGED_FRAMES = 40, 512
# What only moves numbers is in 8 bits too: between two convolutions nothing is turned to single precision and back.
IN_8_BITS = [
    "Conv", "Add", "Relu", "Concat", "Slice", "Unsqueeze", "Pad", "Transpose", "Tile", "AveragePool", "Reshape",
]  # fmt: skip


class Shares(torch.nn.Module):
    """The network with its outputs as probabilities."""

    def __init__(self, network: torch.nn.Module) -> None:
        super().__init__()
        self.network = network

    def forward(self, long: torch.Tensor, short: torch.Tensor) -> torch.Tensor:
        return torch.sigmoid(self.network(long, short))


class Ranges(CalibrationDataReader):
    """What the network hears of some clips, one after the other."""

    def __init__(self, cache: Path) -> None:
        paths = sorted(cache.glob(f"notes-{recipes.RECIPE}-train-*.npz"))
        self.inputs = iter([self._heard(p) for p in paths[:: max(1, len(paths) // RANGED_ON)]])

    def _heard(self, path: Path) -> dict[str, np.ndarray]:
        clip = load(path)
        reference = reference_of(clip)
        views = {"long": clip.long, "short": clip.short}
        return {
            name: scaled(LOWEST_DB + STEP_DB * view[:RANGED_FRAMES].astype(np.float32) - reference)[None]
            for name, view in views.items()
        }

    def get_next(self) -> dict[str, np.ndarray] | None:
        return next(self.inputs, None)


def export(cache: Path, channels: int) -> None:
    """Writes the network; norms are folded into the convolutions by the exporter."""
    shares = Shares(open_network(cache, channels)).eval()
    example = torch.zeros(1, EXAMPLE_FRAMES, 312), torch.zeros(1, EXAMPLE_FRAMES, 104)
    precise, prepared = cache / "notes-precise.onnx", cache / "notes-prepared.onnx"
    axes = {"long": {1: "frames"}, "short": {1: "frames"}, "shares": {2: "cells"}}
    write_onnx(shares, example, precise, ("long", "short", "shares"), axes, ready=False)
    quant_pre_process(precise, prepared, skip_symbolic_shape=True)
    quantize_static(
        prepared,
        TARGET,
        Ranges(cache),
        quant_format=QuantFormat.QDQ,
        per_channel=True,
        reduce_range=True,
        activation_type=QuantType.QUInt8,
        weight_type=QuantType.QInt8,
        op_types_to_quantize=IN_8_BITS,
        nodes_to_exclude=["/network/heads/Conv"],
    )
    make_ready(TARGET)
    print(f"{TARGET}: {TARGET.stat().st_size / 1000:.0f} kB")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--channels", type=int, default=48)
    options = parser.parse_args()
    export(options.cache, options.channels)


if __name__ == "__main__":
    main()
