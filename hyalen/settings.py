"""What the environment sets: HYALEN_DATA, HYALEN_SCHEDULER and the limits."""

from __future__ import annotations

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

from hyalen.core.formats.source import Limits


class Environment(BaseSettings):
    """Each is the environment's variable of that name in capitals after HYALEN_.

    Attributes
    ----------
    data : Path or None
        Where everything is kept; the user's data directory where it is not set.
    scheduler : str
        Of a Dask cluster, as tcp://host:port; empty for this machine's own processes.
    max_bytes, max_pages, max_pixels : int
        The largest file, document and page that are brought in.
    max_memory : int
        Bytes of a worker process.
    """

    model_config = SettingsConfigDict(env_prefix="HYALEN_")

    data: Path | None = None
    scheduler: str = ""
    max_bytes: int = Field(default=Limits().bytes, ge=1)
    max_pages: int = Field(default=Limits().pages, ge=1)
    max_pixels: int = Field(default=Limits().pixels, ge=1)
    max_memory: int = Field(default=1_500_000_000, ge=500_000_000)

    @property
    def limits(self) -> Limits:
        return Limits(bytes=self.max_bytes, pages=self.max_pages, pixels=self.max_pixels)
