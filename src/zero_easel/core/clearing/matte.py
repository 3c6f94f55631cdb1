"""The soft edge: matte and clean foreground in a narrow band around the outline, for any part of a photo at full size.

With the shadowed backdrop B known on both sides of the band and the item's own colour F continued from inside, each
pixel is I = a F + (1 - a) B in linear light and `a` follows by projection (known-backdrop matting: Smith & Blinn,
SIGGRAPH 1996). Where F and B are alike the projection says little, and the outline's geometry takes over by the
ratio of contrast to noise. Colour fields are smooth and are made at a moderate size; the band alone is solved at
full size.
"""

from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.light.colour import Encoded, Float, channel_sum, to_linear, to_srgb8
from zero_easel.core.light.fill import fill_from
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.light.space import Space, light_in
from zero_easel.core.light.windows import part_of, size_within

BAND = 2.0
"""Half width of the undecided band, in px of the region's grid."""
_FIELD_SIDE = 800
_TILE = 384
"""Sides in px of what is solved at a time: what it needs stays in the processor's cache."""


@dataclass(frozen=True)
class Edge:
    """All that is needed to solve the matte of any part of a photo.

    signed: (h, w) float32, distance to the outline in px of the region's grid, positive inside. behind, own:
    (h', w', 3) linear light, the shadowed backdrop and the item's colour, each continued over the other. noise:
    standard deviation of log light on the bare backdrop. region: which part of the photo all of these cover.
    """

    region: Region
    signed: Float
    behind: Float
    own: Float
    noise: float

    def within(self, space: Space) -> "Edge":
        """The same for a photo whose pixels are in a space."""
        if space == "srgb":
            return self
        behind, own = (np.maximum(light_in(light, "srgb", space), 0) for light in (self.behind, self.own))
        return replace(self, behind=behind, own=own)

    @property
    def bounds(self) -> Box:
        """All px whose matte may be above 0; empty if there is no item."""
        rows, columns = (np.flatnonzero((self.signed > -BAND).any(axis)) for axis in (1, 0))
        if not self.region.item.any():
            return Box(0, 0, 0, 0)
        width, height = self.region.frame
        h, w = self.signed.shape
        left, top, right, bottom = self.region.box
        sx, sy = (right - left) / w, (bottom - top) / h
        return Box(
            max(0, int(left + (columns[0] - 1) * sx)),
            max(0, int(top + (rows[0] - 1) * sy)),
            min(width, int(left + (columns[-1] + 2) * sx) + 1),
            min(height, int(top + (rows[-1] + 2) * sy) + 1),
        )

    def solve(self, pixels: Encoded, box: Box) -> Encoded:
        """The item in a part of the photo: (h, w, 4) with straight alpha, space and dtype of pixels.

        pixels: (H, W, 3) the photo itself, or (h, w, 3) that part of it at any size. In the band, colours are the
        item's own without the backdrop's share; they are 0 wherever alpha is 0.
        """
        if Size.of(pixels) == self.region.frame:
            pixels = pixels[box.part]
        h, w = pixels.shape[:2]
        result = np.empty((h, w, 4), pixels.dtype)
        grid = _grid(self.signed, self.region.box, box, Size(w, h))
        for top in range(0, h, _TILE):
            for left in range(0, w, _TILE):
                tile = np.s_[top : top + _TILE, left : left + _TILE]
                part, into = pixels[tile], result[tile]
                nearest, farthest = self._range(grid, left, top, Size.of(part))
                if nearest > BAND:
                    cv2.cvtColor(part, cv2.COLOR_RGB2RGBA, into)
                elif farthest < -BAND:
                    into[:] = 0
                else:
                    self._solve_tile(part, _within(box, Size(w, h), left, top, Size.of(part)), into)
        return result

    def _range(self, grid: "_Grid", left: int, top: int, tile: Size) -> tuple[float, float]:
        """Least and greatest signed distance in a tile; grid: to px of the distances."""
        ends = []
        for step, offset, first, count, size in (
            (grid.step_y, grid.offset_y, top, tile.height, self.signed.shape[0]),
            (grid.step_x, grid.offset_x, left, tile.width, self.signed.shape[1]),
        ):
            low = min(max(int(first * step + offset), 0), size - 1)
            ends.append(slice(low, max(low + 1, int((first + count - 1) * step + offset) + 2)))
        part = self.signed[ends[0], ends[1]]
        return float(part.min()), float(part.max())

    def _solve_tile(self, pixels: Encoded, box: Box, into: Encoded) -> None:
        h, w = pixels.shape[:2]
        top = 255 if pixels.dtype == np.uint8 else 65535
        grid = _grid(self.signed, self.region.box, box, Size(w, h))
        place = np.array([[grid.step_x, 0, grid.offset_x], [0, grid.step_y, grid.offset_y]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        signed = cv2.warpAffine(self.signed, place, (w, h), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        inside = cv2.compare(signed, 0, cv2.CMP_GT)
        alpha = inside if top == 255 else inside.astype(np.uint16) * 257
        own = cv2.bitwise_and(pixels, pixels, mask=inside)
        cv2.mixChannels([own, alpha], [into], [0, 0, 1, 1, 2, 2, 3, 3])
        undecided = np.flatnonzero((cv2.inRange(signed, -BAND, BAND) & 1).view(np.bool_))
        if undecided.size:
            rows, columns = np.divmod(undecided, w)
            band = self._solve_band(pixels[rows, columns], signed.take(undecided), rows, columns, box, Size(w, h))
            band[band[:, 3] == 0] = 0
            into[rows, columns] = band

    def _solve_band(
        self,
        colours: Encoded,
        signed: Float,
        rows: NDArray[np.intp],
        columns: NDArray[np.intp],
        box: Box,
        seen: Size,
    ) -> Encoded:
        """(n, 4) colours and alpha of the band's pixels."""
        colour = to_linear(colours[None])[0]
        sx, ox, sy, oy = _grid(self.behind, self.region.box, box, seen)
        x, y = (columns * sx + ox).astype(np.float32), (rows * sy + oy).astype(np.float32)
        behind, own = _sample(self.behind, x, y), _sample(self.own, x, y)
        geometry = np.clip(0.5 + signed / 1.5, 0, 1)
        alpha = _project(colour, behind, own, geometry, self.noise)
        pure = _unmix(colour, behind, own, alpha)
        top = 255 if colours.dtype == np.uint8 else 65535
        encoded = to_srgb8(pure) if top == 255 else _encode16(pure)
        return np.column_stack([encoded, np.round(alpha * top).astype(colours.dtype)])


def edge_of(sight: Sight, region: Region) -> Edge:
    """Make ready to solve the matte along a region's outline."""
    signed = _signed_distance(region)
    size = size_within(region.window, Size.of(sight.linear), _FIELD_SIDE)
    linear = part_of(sight.linear, region.window, size)
    bare = part_of(sight.backdrop.field, region.window, size) + 0.01
    distance = cv2.resize(signed, size, interpolation=cv2.INTER_LINEAR)
    # The light that falls on the backdrop is smoother than the backdrop itself: that is what continues.
    behind = fill_from(np.asarray((linear + 0.01) / bare, np.float32), distance < -BAND) * bare - 0.01
    # Wires are thinner than the band and have no sure interior: there the pixels farthest from the backdrop speak,
    # with so little weight that any sure pixel nearby outvotes them.
    apart = channel_sum(np.square((linear - behind) / (np.abs(behind) + 0.02)))
    weight = np.where(distance > BAND, 1.0, np.where(distance > -0.5, 1e-3 * np.minimum(apart, 1.0) ** 2, 0.0))
    own = fill_from(linear, weight.astype(np.float32))
    return Edge(region, signed, np.maximum(behind, 0).astype(np.float32), own, sight.backdrop.noise)


def _signed_distance(region: Region) -> Float:
    """Distance to where the odds cross zero: in whole pixels by the decision, between them by the odds' own slope."""
    item = region.item
    inside = cv2.distanceTransform(item.astype(np.uint8), cv2.DIST_L2, 5)
    outside = cv2.distanceTransform((~item).astype(np.uint8), cv2.DIST_L2, 5)
    whole = np.where(item, inside - 0.5, 0.5 - outside)
    odds = np.clip(np.where(item, np.maximum(region.odds, 0.05), np.minimum(region.odds, -0.05)), -4, 4)
    across, down = (cv2.Sobel(odds, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.125) for dx in (1, 0))
    finer = odds / np.maximum(np.hypot(across, down), 0.2)
    return np.asarray(np.clip(finer, whole - 0.5, whole + 0.5), np.float32)


def _within(box: Box, seen: Size, left: int, top: int, tile: Size) -> Box:
    """Where a tile of a part `box` of the photo, seen at a size, lies in the photo."""
    sx, sy = (box.right - box.left) / seen.width, (box.bottom - box.top) / seen.height
    x, y = box.left + left * sx, box.top + top * sy
    return Box(x, y, x + tile.width * sx, y + tile.height * sy)


class _Grid(NamedTuple):
    """Steps and offsets from pixels of one grid to those of another."""

    step_x: float
    offset_x: float
    step_y: float
    offset_y: float


def _grid(field: Float, covers: Box, box: Box, seen: Size) -> _Grid:
    """From pixels of a part `box` of the photo, seen at a size, to those of a field over the part `covers`."""
    steps = []
    for size, low, high, first, last, count in (
        (field.shape[1], covers.left, covers.right, box.left, box.right, seen.width),
        (field.shape[0], covers.top, covers.bottom, box.top, box.bottom, seen.height),
    ):
        scale = size / (high - low)
        step = (last - first) / count * scale
        steps += [step, (first - low) * scale + step / 2 - 0.5]
    return _Grid(*steps)


def _sample(field: Float, x: Float, y: Float) -> Float:
    """Bilinear values of a field at n positions in its own px, (n, 3)."""
    # The remapper takes pictures with sides below 2**15: the positions are laid out as one.
    side = 16384
    count = x.size
    padded = -(-count // side) * side
    xs, ys = (np.pad(v, (0, padded - count)).reshape(-1, side) for v in (x, y))
    sampled = [
        cv2.remap(field, xs[i : i + side], ys[i : i + side], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        for i in range(0, padded // side, side)
    ]
    return np.asarray(np.concatenate(sampled).reshape(-1, 3)[:count], np.float32)


def _project(colour: Float, behind: Float, own: Float, geometry: Float, noise: float) -> Float:
    """Alpha of band pixels, (n,), from colour where item and backdrop differ and from geometry where not."""
    across = own - behind
    contrast = channel_sum(np.square(across))
    projected = np.clip(channel_sum((colour - behind) * across) / np.maximum(contrast, 1e-8), 0, 1)
    doubt = channel_sum(np.square(3 * noise * (behind + 0.02)))
    trust = contrast / (contrast + doubt)
    alpha = trust * projected + (1 - trust) * geometry
    # Camera noise and compression leave a few per cent on either side of a clean edge.
    return np.asarray(np.clip((alpha - 0.04) / 0.92, 0, 1), np.float32)


def _unmix(colour: Float, behind: Float, own: Float, alpha: Float) -> Float:
    """The item's colour in mixed pixels; where its share is small, the colour continued from inside."""
    share = alpha[:, None]
    pure = np.clip((colour - (1 - share) * behind) / np.maximum(share, 0.05), 0, 1)
    return np.asarray(share * pure + (1 - share) * own, np.float32)


def _encode16(linear: Float) -> Encoded:
    v = np.clip(linear, 0, 1)
    encoded = np.where(v <= 0.0031308, v * 12.92, 1.055 * np.power(v, 1 / 2.4) - 0.055)
    return np.round(encoded * 65535).astype(np.uint16)
