"""Colour as an eye measures it: CIE L*a*b* and the difference of two colours."""

import numpy as np

from zero_easel.core.light.colour import Float

WHITE = np.array([0.95047, 1.0, 1.08883], np.float64)
"""XYZ of the white of sRGB (D65, ITU-R BT.709)."""
TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]],
    np.float64,
)
"""Linear sRGB to XYZ (IEC 61966-2-1)."""
_DARK = (6 / 29) ** 3


def lab_of(linear: Float) -> Float:
    """(..., 3) linear sRGB, 1 is white -> (..., 3) CIE L*a*b* under D65 (ISO/CIE 11664-4): L* 0 to 100."""
    xyz = np.asarray(linear, np.float64) @ TO_XYZ.T / WHITE
    root = np.where(xyz > _DARK, np.cbrt(np.maximum(xyz, 0)), xyz * (841 / 108) + 4 / 29)
    x, y, z = np.moveaxis(root, -1, 0)
    return np.asarray(np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], -1), np.float32)


def delta_e(one: Float, other: Float) -> Float:
    """CIEDE2000 between colours in CIE L*a*b*, (..., 3) each -> (...): about 1 can just be seen side by side.

    Sharma, Wu and Dalal, The CIEDE2000 color-difference formula, Color Res. Appl. 30(1), 2005; ISO/CIE 11664-6.
    """
    (l1, a1, b1), (l2, a2, b2) = (np.moveaxis(np.asarray(lab, np.float64), -1, 0) for lab in (one, other))
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    stretch = 1 + 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    c1, c2 = np.hypot(a1 * stretch, b1), np.hypot(a2 * stretch, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a * stretch)) % 360 for a, b in ((a1, b1), (a2, b2)))
    turn = (h2 - h1 + 180) % 360 - 180
    turn = np.where(np.isclose(np.abs(h2 - h1), 180), h2 - h1, turn)
    grey = c1 * c2 == 0
    turn = np.where(grey, 0, turn)
    light, chroma, hue = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    apart = np.abs(h1 - h2) > 180
    h_mean = np.where(apart, (h1 + h2 + np.where(h1 + h2 < 360, 360, -360)) / 2, (h1 + h2) / 2)
    h_mean = np.where(grey, h1 + h2, h_mean)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    s_l = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    s_c, s_h = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    rotation = -2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))
    rotation = rotation * np.sin(np.radians(60 * np.exp(-(((h_mean - 275) / 25) ** 2))))
    light, chroma, hue = light / s_l, chroma / s_c, hue / s_h
    return np.asarray(np.sqrt(light**2 + chroma**2 + hue**2 + rotation * chroma * hue), np.float32)
