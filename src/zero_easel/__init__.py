"""Zero Easel: from a folder of product photos to uniform, correctly named pictures."""

__version__ = "0.1.0"
