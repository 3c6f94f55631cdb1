"""Settings from the environment (ZERO_EASEL_...), each with a sane default."""

import os
from pathlib import Path
from typing import Literal

from platformdirs import user_data_path
from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


def _default_data() -> Path:
    return user_data_path("zero-easel", appauthor=False)


def available_cores() -> int:
    """Processor cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


_USUAL_MB, _LEAST_MB = 1_000, 450
"""Megabytes that a photo of 24 megapixels takes while it is worked on, and a tiny one, with some to spare."""


def available_mb() -> int:
    """Megabytes of memory that are free for programs; 0 where the system does not tell."""
    told = Path("/proc/meminfo")
    lines = told.read_text().splitlines() if told.exists() else []
    free = [int(line.split()[1]) * 1024 for line in lines if line.startswith("MemAvailable:")]
    group = Path("/sys/fs/cgroup/memory.max")
    if free and group.exists() and (most := group.read_text().strip()).isdigit():
        free.append(int(most))
    return min(free) // 1_000_000 if free else 0


def needed_mb(width: int, height: int) -> int:
    """Megabytes that a photo of so many px takes while it is worked on, with some to spare."""
    return round(_LEAST_MB + width * height / 1e6 * (_USUAL_MB - _LEAST_MB) / 24)


def fitting_jobs() -> int:
    """Photos that can be worked on at once: as many as there are cores, and memory for."""
    free = available_mb()
    return max(1, min(available_cores(), free // _USUAL_MB)) if free else available_cores()


class Settings(BaseSettings):
    """data: folder for everything that is kept. jobs: photos worked on at once. upload_mb: largest request body. out:
    folders into which pages may copy finished pictures, as the system separates paths; none by default. watch: folders
    within which pages may have others watched, likewise, besides those within the application's own. photo_seconds,
    photo_mb: time and megabytes of memory that one photo may take; 0 for as much as there is. store: where photos and
    pictures are kept, if not in data: a folder, or an address as fsspec reads it. engine: what works on photos,
    processes of this machine or Dask workers. scheduler: address of those workers' scheduler, which means dask; "" for
    workers of its own. key: with which passwords of places are kept encrypted; "" for one in the data folder. hooks:
    hosts that may be told of events, as names, addresses or networks with commas between. rate: requests a minute that
    one token may make. hosts: names and addresses by which browsers reach the application, with commas between, besides
    those of its own machine. proxies: addresses of proxies whose word is taken for where a request comes from. metrics:
    what is to be shown for figures of the application; "" for none. person_gb: gigabytes that one person may send
    within a day."""

    model_config = SettingsConfigDict(env_prefix="ZERO_EASEL_", frozen=True)
    data: Path = Field(default_factory=_default_data)
    jobs: int = Field(default_factory=fitting_jobs, ge=1, le=256)
    upload_mb: int = Field(default=4000, ge=1)
    out: str = ""
    watch: str = ""
    photo_seconds: float = Field(default=600.0, ge=0)
    photo_mb: int = Field(default=0, ge=0)
    store: str = ""
    engine: Literal["local", "dask"] = "local"
    scheduler: str = ""
    key: str = Field(default="", repr=False)
    hooks: str = ""
    rate: int = Field(default=600, ge=1)
    hosts: str = ""
    proxies: str = ""
    metrics: str = Field(default="", repr=False)
    person_gb: float = Field(default=200.0, gt=0)

    @property
    def out_folders(self) -> list[Path]:
        """The folders into which finished pictures may be copied, those that are there."""
        return _folders(self.out)

    @property
    def watch_folders(self) -> list[Path]:
        """The folders within which others may be watched, those that are there."""
        return _folders(self.watch)

    @property
    def hook_hosts(self) -> list[str]:
        """The hosts that may be told of events."""
        return _words(self.hooks)

    @property
    def host_names(self) -> list[str]:
        """The names by which browsers reach the application from elsewhere."""
        return _words(self.hosts)

    @property
    def trusted_proxies(self) -> list[str]:
        """The proxies that are trusted."""
        return _words(self.proxies)


def _words(listed: str) -> list[str]:
    return listed.replace(",", " ").split()


def _folders(listed: str) -> list[Path]:
    return [path for text in listed.split(os.pathsep) if text and (path := Path(text).resolve()).is_dir()]
