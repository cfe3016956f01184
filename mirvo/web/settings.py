"""Settings, each with its environment variable."""

from __future__ import annotations

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Read from the environment as MIRVO_DATA, MIRVO_HOST, MIRVO_PORT,
    MIRVO_COPY_TO, MIRVO_NAMES, MIRVO_PROXIES."""

    model_config = SettingsConfigDict(env_prefix="MIRVO_")
    data: Path = Field(default=Path("data"), description="Folder that holds database and photos.")
    host: str = Field(
        default="", description="Address it listens on; without one the Kit page decides."
    )
    port: int = Field(default=8000, description="Port the server listens on.")
    copy_to: str = Field(default="", description="Folder for a second copy.")
    names: str = Field(default="", description="Names it answers to, separated by commas.")

    proxies: str = Field(
        default="", description="Addresses of proxies whose forwarding headers are believed."
    )

    @property
    def trusted_proxies(self) -> list[str]:
        """Addresses or networks of proxies in front of Mirvo."""
        return [one.strip() for one in self.proxies.split(",") if one.strip()]

    @property
    def own_names(self) -> frozenset[str]:
        """Names of this computer beside its addresses, in small letters."""
        return frozenset(name.strip().lower() for name in self.names.split(",") if name.strip())
