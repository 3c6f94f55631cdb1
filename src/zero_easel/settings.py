"""Settings from the environment (ZERO_EASEL_...), each with a sane default."""

import os
from pathlib import Path

from platformdirs import user_data_path
from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


def _default_data() -> Path:
    return user_data_path("zero-easel", appauthor=False)


def available_cores() -> int:
    """Processor cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


class Settings(BaseSettings):
    """data: folder for everything that is kept. jobs: photos worked on at once. upload_mb: largest request body. out:
    folders into which pages may copy finished pictures, as the system separates paths; none by default."""

    model_config = SettingsConfigDict(env_prefix="ZERO_EASEL_", frozen=True)
    data: Path = Field(default_factory=_default_data)
    jobs: int = Field(default_factory=available_cores, ge=1, le=256)
    upload_mb: int = Field(default=4000, ge=1)
    out: str = ""

    @property
    def out_folders(self) -> list[Path]:
        """The folders into which finished pictures may be copied, those that are there."""
        return [path for text in self.out.split(os.pathsep) if text and (path := Path(text).resolve()).is_dir()]
