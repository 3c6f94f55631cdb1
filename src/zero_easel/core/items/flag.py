"""Reasons to look at a cutout, and how sure one must be of it to need none."""

from typing import NamedTuple

DOUBTFUL = 0.5
"""Below this confidence a person looks first."""


class Flag(NamedTuple):
    """A reason to look: a stable code and a phrase in plain words."""

    code: str
    text: str
