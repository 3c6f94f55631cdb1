"""Trains the region network on rendered scenes and writes it as ONNX.

    python training/train.py --scenes SCENES --out src/zero_easel/core/regions.onnx [--minutes 40]

Needs zero_easel itself (for the features) and the packages of training/requirements.txt. One scene in twenty is held
out; the printed figures are of those. Two cores train it in well under an hour.
"""

import argparse
import time
from pathlib import Path

import cv2
import numpy as np
import onnx
import torch
from torch import nn
from torch.nn import functional

from zero_easel.core.backdrop import estimate_backdrop
from zero_easel.core.colour import to_linear
from zero_easel.core.features import CHANNELS, features_of

CROP = (192, 192)
BATCH = 12


def block(inputs: int, outputs: int, stride: int = 1) -> nn.Sequential:
    """Two 3 x 3 convolutions with batch normalisation."""
    return nn.Sequential(
        nn.Conv2d(inputs, outputs, 3, stride, 1, bias=False), nn.BatchNorm2d(outputs), nn.ReLU(inplace=True),
        nn.Conv2d(outputs, outputs, 3, 1, 1, bias=False), nn.BatchNorm2d(outputs), nn.ReLU(inplace=True),
    )  # fmt: skip


class RegionNet(nn.Module):
    """A small encoder and decoder with skips (U-Net: Ronneberger et al., MICCAI 2015), most of it below half size."""

    def __init__(self, widths: tuple[int, ...] = (16, 32, 56, 80, 96, 96)) -> None:
        super().__init__()
        self.fine = nn.Sequential(nn.Conv2d(CHANNELS, 8, 3, 1, 1), nn.ReLU(inplace=True))
        inputs = (CHANNELS, *widths[:-1])
        self.down = nn.ModuleList(block(i, o, 2) for i, o in zip(inputs, widths, strict=True))
        self.up = nn.ModuleList(block(widths[i] + widths[i - 1], widths[i - 1]) for i in range(len(widths) - 1, 0, -1))
        self.narrow = nn.Conv2d(widths[0], 8, 1)
        self.head = nn.Sequential(nn.Conv2d(16, 8, 3, 1, 1), nn.ReLU(inplace=True), nn.Conv2d(8, 1, 1))

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """(n, CHANNELS, h, w), h and w multiples of 64 -> logits (n, 1, h, w)."""
        fine, skips = self.fine(x), []
        for down in self.down:
            x = down(x)
            skips.append(x)
        for up, skip in zip(self.up, skips[-2::-1], strict=True):
            x = functional.interpolate(x, scale_factor=2, mode="bilinear", align_corners=False)
            x = up(torch.cat([x, skip], 1))
        x = functional.interpolate(self.narrow(x), scale_factor=2, mode="bilinear", align_corners=False)
        return self.head(torch.cat([x, fine], 1))


def load(folder: Path) -> list[tuple[np.ndarray, np.ndarray]]:
    """Features (float16) and coverage of all scenes, cached beside them."""
    scenes = []
    for truth in sorted(folder.glob("*.png")):
        cache = truth.with_suffix(".npz")
        try:
            if cache.exists():
                kept = np.load(cache)
                scenes.append((kept["x"], kept["y"]))
                continue
            photo = cv2.imread(str(truth.with_suffix(".jpg")))[..., ::-1]
            linear = to_linear(np.ascontiguousarray(photo))
            x = features_of(linear, estimate_backdrop(linear)).astype(np.float16)
            y = cv2.imread(str(truth), cv2.IMREAD_GRAYSCALE)
            np.savez(cache, x=x, y=y)
            scenes.append((x, y))
        except (OSError, TypeError, ValueError, cv2.error) as error:  # still being written
            print(f"{truth.name}: {error}")
    return scenes


def sample(rng: np.random.Generator, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A randomly scaled, placed and mirrored crop; parts beyond the frame are never shown."""
    h, w = y.shape
    scale = np.exp(rng.uniform(np.log(0.62), np.log(1.7)))
    ch, cw = min(h, round(CROP[0] / scale)), min(w, round(CROP[1] / scale))
    # Crops look for the item, but not always.
    top, left = rng.integers(0, h - ch + 1), rng.integers(0, w - cw + 1)
    if rng.uniform() < 0.8 and (y > 127).any():
        rows, columns = np.nonzero(y > 127)
        k = rng.integers(len(rows))
        top, left = np.clip(rows[k] - rng.integers(ch), 0, h - ch), np.clip(columns[k] - rng.integers(cw), 0, w - cw)
    size = CROP[::-1]
    planes = x[:, top : top + ch, left : left + cw].astype(np.float32)
    cut = np.stack(
        [cv2.resize(p, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR) for p in planes]
    )
    truth = cv2.resize(y[top : top + ch, left : left + cw], size, interpolation=cv2.INTER_AREA) / np.float32(255)
    if rng.uniform() < 0.5:
        cut, truth = cut[..., ::-1], truth[..., ::-1]
    if rng.uniform() < 0.3:
        cut[:3] += rng.normal(0, rng.uniform(0, 0.04), cut[:3].shape)
    if rng.uniform() < 0.3:
        angle = rng.uniform(0, 2 * np.pi)
        turned = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        cut[1:3] = np.tensordot(turned, cut[1:3], 1)
    cut[0] *= rng.uniform(0.85, 1.15)
    cut[5] += rng.uniform(-0.15, 0.15)
    return cut.astype(np.float32), np.ascontiguousarray(truth)


def loss_of(logits: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    """Cross entropy on coverage, and the soft Dice loss (Milletari et al., 3DV 2016) against small items vanishing."""
    p = torch.sigmoid(logits)
    overlap = (p * truth).sum((1, 2, 3))
    dice = 1 - (2 * overlap + 50) / (p.sum((1, 2, 3)) + truth.sum((1, 2, 3)) + 50)
    return functional.binary_cross_entropy_with_logits(logits, truth) + 0.5 * dice.mean()


def padded(x: np.ndarray) -> torch.Tensor:
    """One scene with its sides padded to multiples of 64."""
    h, w = x.shape[1:]
    return torch.from_numpy(np.pad(x.astype(np.float32), ((0, 0), (0, -h % 64), (0, -w % 64)), mode="edge"))[None]


@torch.no_grad()
def measure(net: RegionNet, scenes: list[tuple[np.ndarray, np.ndarray]]) -> tuple[float, float, float]:
    """Median, mean, and tenth percentile of intersection over union."""
    net.eval()
    found = []
    for x, y in scenes:
        item = net(padded(x))[0, 0, : y.shape[0], : y.shape[1]].numpy() > 0
        union = (item | (y > 127)).sum()
        found.append((item & (y > 127)).sum() / union if union else 1.0)
    net.train()
    return float(np.median(found)), float(np.mean(found)), float(np.percentile(found, 10))


def export(net: RegionNet, path: Path) -> None:
    """Write the network as ONNX, with free height and width; the output is the probability of item."""
    net.eval()
    whole = nn.Sequential(net, nn.Sigmoid())
    axes = {"features": {2: "height", 3: "width"}, "item": {2: "height", 3: "width"}}
    torch.onnx.export(whole, (torch.zeros(1, CHANNELS, 128, 192),), path, input_names=["features"],
                      output_names=["item"], dynamic_axes=axes, opset_version=17, dynamo=False)  # fmt: skip
    halve(path)
    net.train()


def halve(path: Path) -> None:
    """Store the weights in half precision, each cast back to single where it is used: half the size, same sums."""
    model = onnx.load(path)
    casts = []
    for weight in model.graph.initializer:
        values = onnx.numpy_helper.to_array(weight)
        if values.dtype == np.float32 and values.size > 64:
            name = weight.name
            weight.CopyFrom(onnx.numpy_helper.from_array(values.astype(np.float16), f"{name}.half"))
            casts.append(onnx.helper.make_node("Cast", [f"{name}.half"], [name], to=onnx.TensorProto.FLOAT))
    nodes = [*casts, *model.graph.node]
    del model.graph.node[:]
    model.graph.node.extend(nodes)
    onnx.save(model, path)


def main() -> None:
    """Train for a given time, with the learning rate falling as half a cosine."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--scenes", type=Path, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--minutes", type=float, default=40)
    args = parser.parse_args()
    torch.manual_seed(0)
    rng = np.random.default_rng(0)
    scenes = load(args.scenes)
    held, used = scenes[::20], [s for i, s in enumerate(scenes) if i % 20]
    net = RegionNet().to(memory_format=torch.channels_last)
    print(f"{len(used)} scenes, {len(held)} held out, {sum(p.numel() for p in net.parameters()):,} weights", flush=True)
    optimizer = torch.optim.AdamW(net.parameters(), 2e-3, weight_decay=1e-4)
    started, epoch = time.monotonic(), 0
    while (share := (time.monotonic() - started) / (60 * args.minutes)) < 1:
        total, count = 0.0, 0
        order = rng.permutation(len(used))
        for start in range(0, len(order) - BATCH + 1, BATCH):
            share = min(1.0, (time.monotonic() - started) / (60 * args.minutes))
            for group in optimizer.param_groups:
                group["lr"] = 2e-3 * (0.02 + 0.49 * (1 + np.cos(np.pi * share)))
            pairs = [sample(rng, *used[i]) for i in order[start : start + BATCH]]
            x, y = (torch.from_numpy(np.stack(part)) for part in zip(*pairs, strict=True))
            loss = loss_of(net(x.to(memory_format=torch.channels_last)), y[:, None])
            optimizer.zero_grad()
            loss.backward()
            optimizer.step()
            total, count = total + loss.item(), count + 1
        epoch += 1
        if epoch % 3 == 0 or share >= 1:
            figures = " ".join(f"{v:.3f}" for v in measure(net, held))
            print(f"epoch {epoch}, {share:.0%}: loss {total / count:.4f}, iou {figures}", flush=True)
            export(net, args.out)
    export(net, args.out)


if __name__ == "__main__":
    main()
