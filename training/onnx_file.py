"""A trained network as the ONNX file that the application ships."""

from pathlib import Path

import torch

# Any runtime of the last years reads it.
OPSET = 17


def write_onnx(
    network: torch.nn.Module,
    given: tuple[torch.Tensor, ...],
    target: Path,
    names: tuple[str, ...],
    axes: dict[str, dict[int, str]],
) -> None:
    """Writes a network, and tells how large it is.

    Args:
        network: ready to be used.
        given: an example of its inputs.
        target: the file.
        names: of the inputs, then of the outputs.
        axes: by name, the axes that may have any length.
    """
    torch.onnx.export(
        network,
        given,
        target,
        input_names=list(names[: len(given)]),
        output_names=list(names[len(given) :]),
        dynamic_axes=axes,
        opset_version=OPSET,
        dynamo=False,
    )
    print(f"{target}: {target.stat().st_size / 1000:.0f} kB", flush=True)
