"""One training: steps by a cosine of its time, averaged weights, a file to go on from."""

import time
from collections.abc import Callable, Sequence
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np
import torch

# A step that a pause of the machine made long counts as this long.
LONGEST_STEP_S = 6.0
SAVED_EVERY_S = 150.0
TOLD_EVERY = 50
# Steeper steps are shortened to this norm: one odd batch must not undo a hundred.
STEEPEST = 1.0


class Learner:
    """Learns from losses until its minutes are over.

    Args:
        network: what learns.
        minutes: of learning, over all runs.
        peak_rate: highest learning rate, reached after ``warm_steps``, and from then on a cosine to nothing.
        averaging: the averaged weights forget with this factor a step.
        path: checkpoint, which is gone on from where it is there; none for a short training.
    """

    def __init__(
        self,
        network: torch.nn.Module,
        minutes: float,
        *,
        peak_rate: float,
        warm_steps: int = 60,
        averaging: float = 0.995,
        weight_decay: float = 1e-3,
        path: Path | None = None,
    ) -> None:
        self.network, self.minutes, self.path = network, minutes, path
        self.peak_rate, self.warm_steps, self.averaging = peak_rate, warm_steps, averaging
        self.average = {name: value.detach().clone() for name, value in network.state_dict().items()}
        self.optimiser = torch.optim.AdamW(network.parameters(), lr=peak_rate, weight_decay=weight_decay)
        self.step, self.spent_s = 0, 0.0
        if path and path.exists():
            kept = torch.load(path, weights_only=False)
            network.load_state_dict(kept["network"])
            self.optimiser.load_state_dict(kept["optimiser"])
            self.average, self.step, self.spent_s = kept["average"], kept["step"], kept["spent_s"]
        print(f"{sum(p.numel() for p in network.parameters())} parameters, from step {self.step}", flush=True)
        self._last = self._saved = time.perf_counter()
        self._recent: list[float] = []

    @property
    def done(self) -> bool:
        """Whether the minutes are over."""
        return self.spent_s >= 60 * self.minutes

    def learn(self, loss: torch.Tensor) -> None:
        """One step down a loss; now and then tells how it goes and keeps everything in the file."""
        share = min(self.spent_s / (60 * self.minutes), 1.0)
        rate = self.peak_rate * min(1.0, (self.step + 1) / self.warm_steps) * 0.5 * (1 + np.cos(np.pi * share))
        for group in self.optimiser.param_groups:
            group["lr"] = float(rate)
        self.optimiser.zero_grad(set_to_none=True)
        loss.backward()
        torch.nn.utils.clip_grad_norm_(self.network.parameters(), STEEPEST)
        self.optimiser.step()
        self.step += 1
        self._take_average()
        self._recent.append(loss.item())
        now = time.perf_counter()
        self.spent_s, self._last = self.spent_s + min(now - self._last, LONGEST_STEP_S), now
        if self.step % TOLD_EVERY == 0:
            mean = float(np.mean(self._recent[-TOLD_EVERY:]))
            print(f"step {self.step}  {self.spent_s / 60:.1f} min  loss {mean:.4f}", flush=True)
        if self.path and (now - self._saved > SAVED_EVERY_S or self.done):
            self._saved = now
            part = self.path.with_suffix(".part")
            states = {"network": self.network.state_dict(), "average": self.average}
            states["optimiser"] = self.optimiser.state_dict()
            torch.save({**states, "step": self.step, "spent_s": self.spent_s}, part)
            part.rename(self.path)

    def _take_average(self) -> None:
        keep = min(self.averaging, self.step / (self.step + 10))
        with torch.no_grad():
            for name, value in self.network.state_dict().items():
                if value.dtype.is_floating_point:
                    self.average[name].mul_(keep).add_(value, alpha=1 - keep)
                else:
                    self.average[name].copy_(value)

    def averaged(self) -> torch.nn.Module:
        """The network with its averaged weights, ready to be used."""
        self.network.load_state_dict(self.average)
        return self.network.eval()


def side_by_side(train: Callable[..., Any], given: Sequence[tuple[Any, ...]]) -> list[Any]:
    """What several trainings give, each in a process of its own to the end of its file, from where it is taken here.

    Args:
        train: goes on from a file and keeps everything there.
        given: its arguments, one row a training.
    """
    learning = [get_context("fork").Process(target=train, args=row) for row in given]
    for process in learning:
        process.start()
    for process in learning:
        process.join()
    return [train(*row) for row in given]
