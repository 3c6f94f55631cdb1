"""Trains the region network on rendered scenes and writes it as ONNX.

    python training/train.py --scenes SCENES --out src/zero_easel/core/regions.onnx [--minutes 40]

Needs zero_easel itself (for the features) and the packages of training/requirements.txt. Scenes whose number is a
multiple of twenty are held out; the printed figures are of those. Two cores train it in well under an hour.
"""

import argparse
import copy
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np
import torch
from cases import Case, Scene, scenes_of
from quantise import quantise
from torch import nn
from torch.nn import functional

from zero_easel.core.clearing.features import CHANNELS, SIDE, features_of
from zero_easel.core.light.geometry import Size, Window
from zero_easel.core.light.windows import part_of

CROP = 320
BATCH = 6
RATE = 1.5e-3


def block(inputs: int, outputs: int, stride: int = 1) -> nn.Sequential:
    """Two 3 x 3 convolutions with batch normalisation."""
    return nn.Sequential(
        nn.Conv2d(inputs, outputs, 3, stride, 1, bias=False),
        nn.BatchNorm2d(outputs),
        nn.ReLU(inplace=True),
        nn.Conv2d(outputs, outputs, 3, 1, 1, bias=False),
        nn.BatchNorm2d(outputs),
        nn.ReLU(inplace=True),
    )


class RegionNet(nn.Module):
    """A small encoder and decoder with skips (U-Net: Ronneberger et al., MICCAI 2015).

    Four neighbouring pixels enter as one with four times the channels and leave again as four (Shi et al., CVPR 2016):
    nothing is computed at full size, and yet no pixel is lost.
    """

    def __init__(self, widths: tuple[int, ...] = (20, 36, 64, 96, 128, 128)) -> None:
        super().__init__()
        inputs = (4 * CHANNELS, *widths[:-1])
        self.down = nn.ModuleList(
            block(i, o, 1 if at == 0 else 2) for at, (i, o) in enumerate(zip(inputs, widths, strict=True))
        )
        self.up = nn.ModuleList(block(widths[i] + widths[i - 1], widths[i - 1]) for i in range(len(widths) - 1, 0, -1))
        self.head = nn.Conv2d(widths[0], 4, 3, 1, 1)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """(n, CHANNELS, h, w), h and w multiples of 64 -> logits (n, 1, h, w)."""
        x, skips = functional.pixel_unshuffle(x, 2), []
        for down in self.down:
            x = down(x)
            skips.append(x)
        for up, skip in zip(self.up, skips[-2::-1], strict=True):
            x = functional.interpolate(x, scale_factor=2, mode="nearest")
            x = up(torch.cat([x, skip], 1))
        return functional.pixel_shuffle(self.head(x), 2)


def seen(case: Case, size: Size, part: Window, window: Window, gain: np.ndarray | None = None) -> np.ndarray:
    """Features of a part of a case at a size; window: where in its frame that part is said to lie."""
    linear, field = (part_of(p.astype(np.float32), part, size) for p in (case.photo, case.field))
    if gain is not None:
        linear, field = linear * gain, field * gain
    barrier = part_of(case.barrier.astype(np.float32), part, size)
    return features_of(linear, field, barrier, float(case.noise), bool(case.known), window)


def sample(rng: np.random.Generator, case: Case) -> tuple[np.ndarray, np.ndarray]:
    """A view of a case, and its coverage with the weight of each pixel, CROP x CROP.

    A frame of its own choice within the scene, mirrored or not, seen whole or in a closer window; what lies beyond the
    frame repeats its edge.
    """
    h, w = case.coverage.shape
    fw, fh = (round(v * rng.uniform(0.7, 1)) for v in (w, h)) if rng.uniform() < 0.3 else (w, h)
    fx, fy = rng.integers(0, w - fw + 1), rng.integers(0, h - fh + 1)
    # Up to half as large again as it was rendered: a closer look sees the frame at twice the size of the first one.
    scale = np.exp(rng.uniform(np.log(300), np.log(1.5 * max(w, h)))) / max(fw, fh)
    cw, ch = min(fw, round(CROP / scale)), min(fh, round(CROP / scale))
    left, top = fx + rng.integers(0, fw - cw + 1), fy + rng.integers(0, fh - ch + 1)
    rows, columns = np.nonzero(case.coverage[fy : fy + fh, fx : fx + fw] > 127)
    if rng.uniform() < 0.85 and len(rows):
        k = rng.integers(len(rows))
        left = fx + int(np.clip(columns[k] - rng.integers(cw), 0, fw - cw))
        top = fy + int(np.clip(rows[k] - rng.integers(ch), 0, fh - ch))
    size = Size(min(CROP, round(cw * scale)), min(CROP, round(ch * scale)))
    window = Window((left - fx) / fw, (top - fy) / fh, (left - fx + cw) / fw, (top - fy + ch) / fh)
    part = Window(left / w, top / h, (left + cw) / w, (top + ch) / h)
    x = seen(case, size, part, window, np.exp(rng.normal(0, 0.1, 3)).astype(np.float32))
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    y = cv2.resize(case.coverage[top : top + ch, left : left + cw], size, interpolation=how)
    margin = ((0, CROP - size[1]), (0, CROP - size[0]))
    x, y = np.pad(x, ((0, 0), *margin), mode="edge"), np.pad(y, margin, mode="edge") / np.float32(255)
    if rng.uniform() < 0.5:
        x, y = x[..., ::-1], y[..., ::-1]
    # The rim counts three times as much as the rest; twice, what speaks against itself: shadow, and item like paper.
    rim = cv2.dilate(y, np.ones((5, 5))) - cv2.erode(y, np.ones((5, 5)))
    misleading = np.where(y > 0.5, (np.abs(x[3:6]) < 0.25).all(0), x[0] < -0.25)
    return np.ascontiguousarray(x), np.stack([y, 1 + 2 * rim + misleading])


def batch(rng: np.random.Generator, scenes: list[Scene]) -> tuple[torch.Tensor, torch.Tensor]:
    """Views of random cases of random scenes, and their coverage and weights."""
    chosen = [scenes[i] for i in rng.integers(0, len(scenes), BATCH)]
    pairs = [sample(rng, scene.case(rng.integers(scene.count))) for scene in chosen]
    x, y = (torch.from_numpy(np.stack(part)) for part in zip(*pairs, strict=True))
    return x, y


def loss_of(logits: torch.Tensor, truth: torch.Tensor, weight: torch.Tensor) -> torch.Tensor:
    """Weighted cross entropy on coverage, and the soft Dice loss (Milletari et al., 3DV 2016) against small items
    vanishing."""
    p = torch.sigmoid(logits)
    overlap = (p * truth).sum((1, 2, 3))
    dice = 1 - (2 * overlap + 50) / (p.sum((1, 2, 3)) + truth.sum((1, 2, 3)) + 50)
    return functional.binary_cross_entropy_with_logits(logits, truth, weight=weight) + 0.5 * dice.mean()


def whole(case: Case) -> tuple[np.ndarray, Size]:
    """(1, CHANNELS, h, w) features of a whole frame, padded as the network needs, and its own size."""
    h, w = case.coverage.shape
    size = Size(round(w * SIDE / max(h, w)), round(h * SIDE / max(h, w)))
    x = seen(case, size, Window(), Window())
    return np.pad(x, ((0, 0), (0, -size[1] % 64), (0, -size[0] % 64)), mode="edge")[None], size


@torch.no_grad()
def measure(net: RegionNet, cases: list[Case]) -> tuple[float, float, float]:
    """Median, mean, and tenth percentile of intersection over union of whole frames; 1 for a bare frame left bare."""
    net.eval()
    found = []
    for case in cases:
        x, size = whole(case)
        item = net(torch.from_numpy(x))[0, 0, : size[1], : size[0]].numpy() > 0
        truth = cv2.resize(case.coverage, size, interpolation=cv2.INTER_AREA) > 127
        union = (item | truth).sum()
        found.append((item & truth).sum() / union if union else 1.0)
    return float(np.median(found)), float(np.mean(found)), float(np.percentile(found, 10))


def export(net: RegionNet, path: Path) -> None:
    """Write the network as ONNX in single precision, with free height and width; it gives the probability of item."""
    net.eval()
    answer = nn.Sequential(net, nn.Sigmoid())
    axes = {"features": {2: "height", 3: "width"}, "item": {2: "height", 3: "width"}}
    torch.onnx.export(
        answer,
        (torch.zeros(1, CHANNELS, 128, 192),),
        path,
        input_names=["features"],
        output_names=["item"],
        dynamic_axes=axes,
        opset_version=17,
        dynamo=False,
    )
    net.train()


def main() -> None:
    """Train for a given time, with the learning rate falling as half a cosine."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--scenes", type=Path, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--minutes", type=float, default=40)
    parser.add_argument("--start", type=Path, help="weights (.pt) of an earlier training to go on from")
    args = parser.parse_args()
    torch.manual_seed(0)
    cv2.setNumThreads(1)
    rng = np.random.default_rng(0)
    scenes = scenes_of(args.scenes, 2)
    used = [scene for scene in scenes if int(scene.file.stem) % 20]
    held = [scene.case(index) for scene in scenes if scene not in used for index in (0, 1, 3)]
    net = RegionNet().to(memory_format=torch.channels_last)
    if args.start:
        net.load_state_dict(torch.load(args.start))
    settled = copy.deepcopy(net)
    weights = sum(p.numel() for p in net.parameters())
    print(f"{len(used)} scenes, {len(held)} cases held out, {weights:,} weights", flush=True)
    optimizer = torch.optim.AdamW(net.parameters(), RATE, weight_decay=1e-4)
    started, step, total = time.monotonic(), 0, 0.0
    ahead = ThreadPoolExecutor(1)
    upcoming = ahead.submit(batch, rng, used)
    while (share := (time.monotonic() - started) / (60 * args.minutes)) < 1:
        for group in optimizer.param_groups:
            group["lr"] = RATE * min(1, (step + 1) / 100) * (0.01 + 0.495 * (1 + np.cos(np.pi * share)))
        x, y = upcoming.result()
        upcoming = ahead.submit(batch, rng, used)
        loss = loss_of(net(x.to(memory_format=torch.channels_last)), y[:, :1], y[:, 1:])
        optimizer.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 2.0)
        optimizer.step()
        follow(settled, net, min(0.997, step / (step + 20)))
        total, step = total + loss.item(), step + 1
        if step % 300 == 0:
            figures = " ".join(f"{v:.3f}" for v in measure(settled, held))
            print(f"step {step}, {share:.0%}: loss {total / 300:.4f}, iou {figures}", flush=True)
            total = 0.0
            export(settled, args.out)
    export(settled, args.out)
    quantise(args.out, [whole(case)[0] for case in held[:60]])
    kept = {k: v.half() if v.dtype.is_floating_point else v for k, v in settled.state_dict().items()}
    torch.save(kept, args.out.with_suffix(".pt"))


@torch.no_grad()
def follow(settled: nn.Module, net: nn.Module, keep: float) -> None:
    """Running mean of the weights (Polyak & Juditsky, 1992): steadier than the last step."""
    for kept, new in zip(settled.state_dict().values(), net.state_dict().values(), strict=True):
        if kept.dtype.is_floating_point:
            kept.lerp_(new, 1 - keep)
        else:
            kept.copy_(new)


if __name__ == "__main__":
    main()
