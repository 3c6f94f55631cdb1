"""Trains the network that knows what a thing is, on composites made on the fly.

    python training/things/train.py --stock build/stock --encoder FILE.pth --out build/things [--steps 9000]

Stopped or killed, it goes on from its last checkpoint (OUT/last.pt, every ten minutes). OUT/curve.csv has a line for
each checkpoint: step, seconds, loss, and the overlap on composites of things that are held out. Each process trains by
itself on one core; their weights are averaged every few steps (local SGD: Stich, ICLR 2019).
"""

import argparse
import copy
import csv
import math
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np
import torch
import torch.distributed as dist
import torch.multiprocessing as mp
from composites import composite
from hand import first_marks, mark_in, planes_of, worst_error
from network import MARKS, STRIDE, ThingNet, pretrained
from stock import UNSEEN, Stock, stock_of
from torch.nn import functional

RATE, ENCODER_RATE = 2e-3, 0.12
AVERAGED_EVERY = 6
STILL = ("encoder.stem", "encoder.stages.0")
"""Parts of the encoder that are left as they came: edges and colours are the same everywhere."""
SETTLED = 0.55
"""Share of all steps after which pictures are larger, and norms keep their averages: two or three of them tell too
little about all."""


def size_at(progress: float, rng: np.random.Generator) -> tuple[tuple[int, int], int]:
    """Size of the next batch's pictures, (w, h), and their number: small ones first, and up to what a window shows."""
    if progress < 0.3:
        sizes, shares = [(224, 160), (256, 192), (320, 224)], (0.4, 0.4, 0.2)
    elif progress < SETTLED:
        sizes, shares = [(256, 192), (320, 224), (384, 288), (512, 384)], (0.15, 0.25, 0.38, 0.22)
    else:
        sizes, shares = [(256, 192), (320, 224), (384, 288), (512, 384)], (0.08, 0.2, 0.37, 0.35)
    w, h = sizes[rng.choice(len(sizes), p=shares)]
    count = max(2, round(8 * 320 * 224 / (w * h) / 1.0))
    kind = rng.uniform()
    if kind < 0.3:
        w, h = h, w
    elif kind < 0.45:
        w = h = int(np.sqrt(w * h)) // STRIDE * STRIDE
    return (w, h), min(count, 8)


def window_of(
    rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray, size: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """The part of a larger picture around its items, with a margin, at a size: what a closer look shows."""
    rows, columns = np.flatnonzero((truth > 127).any(1)), np.flatnonzero((truth > 127).any(0))
    if not rows.size:
        return cv2.resize(photo, size, interpolation=cv2.INTER_AREA), cv2.resize(
            truth, size, interpolation=cv2.INTER_AREA
        )
    h, w = truth.shape
    margin = rng.uniform(0.03, 0.2) * max(rows[-1] - rows[0], columns[-1] - columns[0]) + 4
    top, bottom = max(0, int(rows[0] - margin)), min(h, int(rows[-1] + margin) + 1)
    left, right = max(0, int(columns[0] - margin)), min(w, int(columns[-1] + margin) + 1)
    part = np.s_[top:bottom, left:right]
    how = cv2.INTER_AREA if right - left > size[0] else cv2.INTER_LINEAR
    return cv2.resize(photo[part], size, interpolation=how), cv2.resize(truth[part], size, interpolation=how)


def batch_of(
    rng: np.random.Generator, stock: Stock, size: tuple[int, int], count: int
) -> tuple[torch.Tensor, torch.Tensor]:
    """(n, 3, h, w) photos as the network sees them, and (n, 1, h, w) coverage."""
    photos, truths = [], []
    while len(photos) < count:
        closer = rng.uniform() < 0.25 and max(size) <= 400
        drawn = (round(size[0] * 1.5), round(size[1] * 1.5)) if closer else size
        photo, truth = composite(rng, stock, drawn)
        if closer:
            photo, truth = window_of(rng, photo, truth, size)
        photos.append(photo)
        truths.append(truth)
    x = torch.from_numpy(np.stack(photos)).permute(0, 3, 1, 2).float().sub_(127).div_(128)
    y = torch.from_numpy(np.stack(truths)).unsqueeze(1).float().div_(255)
    return x.contiguous(memory_format=torch.channels_last), y


def loss_of(logits: torch.Tensor, coarse: torch.Tensor, truth: torch.Tensor, pointed_at: torch.Tensor) -> torch.Tensor:
    """Cross entropy with the rim, and errors that a mark points at, weighing thrice, soft Dice (Milletari et al., 3DV
    2016), and the coarse opinion's."""
    high = functional.max_pool2d(truth, 5, 1, 2)
    low = -functional.max_pool2d(-truth, 5, 1, 2)
    weight = 1 + 2 * torch.maximum(high - low, pointed_at)
    fine = functional.binary_cross_entropy_with_logits(logits, truth, weight=weight)
    p = torch.sigmoid(logits)
    overlap, both = (p * truth).sum((1, 2, 3)), p.sum((1, 2, 3)) + truth.sum((1, 2, 3))
    dice = 1 - (2 * overlap + 50) / (both + 50)
    small = functional.interpolate(truth, size=coarse.shape[2:], mode="area")
    return fine + 0.5 * dice.mean() + 0.3 * functional.binary_cross_entropy_with_logits(coarse, small)


def marked(
    rng: np.random.Generator, net: ThingNet, x: torch.Tensor, y: torch.Tensor
) -> tuple[torch.Tensor, torch.Tensor]:
    """Marks as a person would draw them on some of a batch, (n, MARKS, h, w), and the net's errors that they point at,
    (n, 1, h, w) in {0, 1}: none on half of the batches; on others first ones, or on the net's own largest errors."""
    n, _, h, w = x.shape
    marks, pointed_at = torch.zeros(n, MARKS, h, w), torch.zeros(n, 1, h, w)
    kind = rng.uniform()
    if kind < 0.45:
        return marks, pointed_at
    truth = y[:, 0].numpy() > 0.5
    if kind < 0.65:
        for k in range(n):
            if rng.uniform() < 0.7:
                marks[k] = torch.from_numpy(planes_of(first_marks(rng, truth[k]), (w, h)))
        return marks, pointed_at
    for _ in range(int(rng.integers(1, 4))):
        with torch.no_grad(), measuring(net):
            found = net(x, marks)[0][:, 0].numpy() > 0
        for k in range(n):
            error = worst_error(found[k], truth[k])
            if error is not None:
                mark = mark_in(rng, error, truth[k])
                marks[k] = torch.maximum(marks[k], torch.from_numpy(planes_of([mark], (w, h))))
                pointed_at[k, 0] = torch.maximum(pointed_at[k, 0], torch.from_numpy(error.astype(np.float32)))
    return marks, pointed_at


@contextmanager
def measuring(net: ThingNet) -> Iterator[None]:
    """The network as it answers, not as it learns."""
    learning = [part for part in net.modules() if part.training]
    net.eval()
    yield
    for part in learning:
        part.training = True


def overlaps(net: ThingNet, shown: list[tuple[np.ndarray, np.ndarray]]) -> np.ndarray:
    """Intersection over union on pictures and their coverage, without marks."""
    net.eval()
    found = []
    with torch.no_grad():
        for photo, truth in shown:
            x = torch.from_numpy(photo).permute(2, 0, 1)[None].float().sub(127).div(128)
            item = net(x, torch.zeros(1, MARKS, *x.shape[2:]))[0][0, 0].numpy() > 0
            real = truth > 127
            found.append((item & real).sum() / max((item | real).sum(), 1) if real.any() else float(not item.any()))
    return np.array(found)


class Averaged:
    """Exponential moving average of a network's weights (Polyak & Juditsky, 1992)."""

    def __init__(self, net: ThingNet) -> None:
        self.net = copy.deepcopy(net).eval()

    def follow(self, net: ThingNet, step: int) -> None:
        keep = min(0.997, (1 + step) / (10 + step))
        with torch.no_grad():
            for mine, theirs in zip(self.net.state_dict().values(), net.state_dict().values(), strict=True):
                if mine.dtype.is_floating_point:
                    mine.lerp_(theirs, 1 - keep)
                else:
                    mine.copy_(theirs)


def norms_of(net: ThingNet) -> list[torch.nn.BatchNorm2d]:
    """All norms, in order."""
    return [part for part in net.modules() if isinstance(part, torch.nn.BatchNorm2d)]


def settle(net: ThingNet, mean: Averaged) -> None:
    """The network's norms take their averages over many steps."""
    for own, averaged in zip(norms_of(net), norms_of(mean.net), strict=True):
        for name in ("running_mean", "running_var"):
            getattr(own, name).copy_(getattr(averaged, name))


def meet(net: ThingNet, processes: int) -> None:
    """All processes' weights become their mean."""
    tensors = [t for t in net.state_dict().values() if t.dtype.is_floating_point]
    flat = torch.cat([t.reshape(-1) for t in tensors])
    dist.all_reduce(flat)
    flat /= processes
    at = 0
    for t in tensors:
        t.copy_(flat[at : at + t.numel()].view_as(t))
        at += t.numel()


def optimiser_of(net: ThingNet) -> torch.optim.Optimizer:
    """AdamW, slow for the encoder; marks enter through new weights, which learn as fast as the decoder's."""
    parts: dict[float, list[torch.nn.Parameter]] = {ENCODER_RATE: [], 1.0: []}
    for name, parameter in net.named_parameters():
        parameter.requires_grad_(not name.startswith(STILL))
        parts[ENCODER_RATE if name.startswith("encoder") and "marks" not in name else 1.0].append(parameter)
    groups = [{"params": [p for p in part if p.requires_grad], "scale": scale} for scale, part in parts.items()]
    return torch.optim.AdamW(groups, lr=RATE, weight_decay=0.01)


def resumed(out: Path, rank: int, net: ThingNet, mean: Averaged, optimiser: torch.optim.Optimizer) -> tuple[int, float]:
    """Weights as the last checkpoint left them, its step, and the seconds spent until then; 0 and 0 without one."""
    if not (out / "last.pt").exists():
        return 0, 0.0
    kept = torch.load(out / "last.pt", weights_only=True)
    net.load_state_dict(kept["net"])
    mean.net.load_state_dict(kept["mean"])
    own = out / f"optimiser{rank}.pt"
    if own.exists():
        optimiser.load_state_dict(torch.load(own, weights_only=True))
    return kept["step"], kept["seconds"]


def learn(
    rng: np.random.Generator, net: ThingNet, optimiser: torch.optim.Optimizer, stock: Stock, step: int, steps: int
) -> float:
    """One step; returns its loss."""
    progress = step / steps
    net.train()
    if progress >= SETTLED:
        for norm in norms_of(net):
            norm.eval()
    size, count = size_at(progress, rng)
    x, y = batch_of(rng, stock, size, count)
    marks, pointed_at = marked(rng, net, x, y)
    warm = min(1.0, (step + 1) / 100)
    for group in optimiser.param_groups:
        group["lr"] = RATE * group["scale"] * warm * (0.02 + 0.98 * 0.5 * (1 + math.cos(math.pi * progress)))
    loss = loss_of(*net(x, marks), y, pointed_at)
    optimiser.zero_grad(set_to_none=True)
    loss.backward()
    torch.nn.utils.clip_grad_norm_(net.parameters(), 2)
    optimiser.step()
    return loss.item()


def train(rank: int, args: argparse.Namespace) -> None:
    """One process's share of the work; the first one decides when a checkpoint is due, and keeps it."""
    torch.set_num_threads(1)
    cv2.setNumThreads(1)
    os.environ.update(MASTER_ADDR="127.0.0.1", MASTER_PORT=str(args.port))
    dist.init_process_group("gloo", rank=rank, world_size=args.processes)
    net = ThingNet(pretrained(args.encoder)).to(memory_format=torch.channels_last)
    mean, optimiser = Averaged(net), optimiser_of(net)
    step, spent = resumed(args.out, rank, net, mean, optimiser)
    rng, stock = np.random.default_rng([args.seed, rank, step]), stock_of(args.stock, "training")
    unseen = stock_of(args.stock, *UNSEEN)
    held = [composite(np.random.default_rng([9, k]), unseen, (384, 288)) for k in range(0 if rank else args.held)]
    begin, losses, kept_at = time.monotonic() - spent, [], time.monotonic()
    settled = False
    while step < args.steps:
        if not settled and step >= SETTLED * args.steps:
            settled = True
            settle(net, mean)
        losses.append(learn(rng, net, optimiser, stock, step, args.steps))
        step += 1
        if step % AVERAGED_EVERY:
            continue
        meet(net, args.processes)
        mean.follow(net, step // AVERAGED_EVERY)
        late = time.monotonic() - kept_at > 60 * args.keep_minutes or step + AVERAGED_EVERY > args.steps
        due = torch.tensor(float(rank == 0 and late))
        dist.all_reduce(due)
        if due > 0:
            torch.save(optimiser.state_dict(), args.out / f"optimiser{rank}.pt")
            if rank == 0:
                keep(args.out, net, mean.net, step, time.monotonic() - begin, losses, held)
            losses, kept_at = [], time.monotonic()
    dist.destroy_process_group()


def keep(out: Path, net: ThingNet, mean: ThingNet, step: int, seconds: float, losses: list[float], held: list) -> None:
    """A checkpoint and a line of the curve."""
    found = overlaps(mean, held)
    part = out / "last.part"
    torch.save({"net": net.state_dict(), "mean": mean.state_dict(), "step": step, "seconds": seconds}, part)
    part.rename(out / "last.pt")
    row = [
        step,
        round(seconds),
        round(float(np.mean(losses)), 4),
        *(round(float(v), 4) for v in (np.median(found), found.mean(), found.min())),
    ]
    with (out / "curve.csv").open("a", newline="") as file:
        csv.writer(file).writerow(row)
    print(*row, flush=True)


def main() -> None:
    """Start the processes."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--encoder", type=Path, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--steps", type=int, default=9000, help="of each process")
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--port", type=int, default=29517)
    parser.add_argument("--keep-minutes", type=float, default=10)
    parser.add_argument("--held", type=int, default=48, help="composites of held-out things for the curve")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    mp.spawn(train, (args,), nprocs=args.processes)


if __name__ == "__main__":
    main()
