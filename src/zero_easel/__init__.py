"""Zero Easel: from a folder of product photos to uniform, correctly named pictures."""

import os

__version__ = "0.1.0"

# Photos are what is worked on at once; threads within one photo's products only wait for each other. Read when the
# library is loaded, so before any other module of ours.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
