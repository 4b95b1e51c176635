"""Opening a network that the package ships."""

import json
from functools import lru_cache
from importlib import resources
from typing import Any

from honest_stave.core.errors import BadInput


@lru_cache(maxsize=8)
def open_network(name: str) -> Any:
    """The network ``name`` as a session of one thread, which gives the same answer on every machine load.

    Args:
        name: of the file in this folder, without its ending.

    Raises:
        BadInput: the file is missing or damaged.
    """
    # Imported here: only workers listen, the web server starts without.
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.log_severity_level = 4
    # Memory is given back between stretches: an hour is heard beside other large arrays.
    options.enable_cpu_mem_arena = False
    try:
        data = (resources.files(__package__) / f"{name}.onnx").read_bytes()
        return onnxruntime.InferenceSession(data, options, providers=["CPUExecutionProvider"])
    except Exception as error:
        # The runtime has a class of its own for every way in which a file can be broken.
        raise BadInput(
            f"The network for {name} is missing or damaged.",
            "Install Honest Stave again; takes, parts and readings made before are untouched.",
        ) from error


@lru_cache(maxsize=8)
def constants_of(name: str) -> dict[str, Any]:
    """Numbers fitted with the network ``name``: version, limits, calibration.

    Raises:
        BadInput: the file is missing or damaged.
    """
    try:
        found: dict[str, Any] = json.loads((resources.files(__package__) / f"{name}.json").read_text("utf-8"))
        return found
    except (OSError, ValueError) as error:
        raise BadInput(
            f"The constants of the network for {name} are missing or damaged.",
            "Install Honest Stave again; takes, parts and readings made before are untouched.",
        ) from error
