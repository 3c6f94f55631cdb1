"""libvips, set up once for the whole process; whoever uses it imports it from here.

Only the decoders for photographs are left switched on: libvips can also read drawings, documents and scientific data,
none of which should be reachable from an upload.
"""

import os

# What decoders warn of is asked for, file by file, and told in our own words; not written to the terminal as well.
os.environ.setdefault("VIPS_WARNING", "0")

import pyvips

# It would hand warnings to Python's logging, in whatever thread of libvips they arise: a collection of garbage that
# begins there frees pictures of other threads, and the process dies.
pyvips._remove_log_handler()
pyvips.operation_block_set("VipsForeignLoad", True)
for _loader in ("Jpeg", "Png", "Tiff", "Webp", "Heif", "Nsgif"):
    pyvips.operation_block_set(f"VipsForeignLoad{_loader}", False)
# Pictures are decoded once each; a cache of operations would only hold on to their memory.
pyvips.cache_set_max(0)


def set_threads(count: int) -> None:
    """How many threads one operation of this process may use from now on."""
    pyvips.vips_lib.vips_concurrency_set(count)


def threads() -> int:
    """How many threads one operation of this process uses."""
    return int(pyvips.vips_lib.vips_concurrency_get())


__all__ = ["pyvips", "set_threads", "threads"]
