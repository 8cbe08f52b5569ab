"""Steps kept on disk, for other runs and other scripts: `lathwick.cache(folder)`.

What is kept is read by `pickle`, which could run code. Each entry is therefore signed with a key of the
user's own, kept outside the folder; an entry that was not written with it is as good as none, so a folder
that comes from anywhere else is harmless. Steps of another version of the package, or of its code, are never
found again; what was used longest ago is dropped.
"""

from __future__ import annotations

import hashlib
import hmac
import os
import pickle
import secrets
import sqlite3
from contextlib import suppress
from contextvars import ContextVar
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING, Any

import diskcache
import platformdirs

from ..errors import ExchangeError
from ..gate import shown_value
from .atomic import write_atomically

if TYPE_CHECKING:
    from ..topology.body import Body

LARGEST = 2_000_000_000
"""Bytes in one folder."""
WORTH_KEEPING = 0.005
"""Seconds; a step that takes less is made as quickly as it is read."""
KEY_BYTES = 32
KEY_FILE = "step-cache.key"


class _PlainDisk(diskcache.Disk):  # type: ignore[misc]
    """Keys and values as bytes and texts alone: nothing that the database itself would have unpickled."""

    def fetch(self, mode: int, filename: str | None, value: Any, read: bool) -> Any:
        if mode == diskcache.core.MODE_PICKLE:
            raise ExchangeError("an entry of the cache is of another kind")
        return super().fetch(mode, filename, value, read)


class StepStore:
    """Steps by key in a folder. Raises ExchangeError where the folder cannot be one."""

    def __init__(self, folder: str | os.PathLike[str]) -> None:
        try:
            self.folder = Path(folder).resolve()
            self._secret = _secret()
            self._stamp = _stamp()
            self._disk = diskcache.Cache(str(self.folder), disk=_PlainDisk, size_limit=LARGEST)
        except (OSError, ValueError, TypeError, sqlite3.Error, diskcache.Timeout) as error:
            raise ExchangeError(f"{shown_value(folder)} cannot hold a cache of steps: {error}") from None

    def __repr__(self) -> str:
        return f"<StepStore {self.folder}, {len(self._disk)} steps>"

    def __len__(self) -> int:
        return len(self._disk)

    def __reduce__(self) -> tuple[type[StepStore], tuple[str]]:
        return (StepStore, (str(self.folder),))

    def find(self, key: str) -> tuple[Body, tuple[str, ...]] | None:
        """The body and the warnings of a step; None where there is none that we wrote."""
        try:
            kept = self._disk.get(self._name(key))
        except (OSError, sqlite3.Error, diskcache.Timeout, ExchangeError):
            return None
        if not isinstance(kept, bytes) or len(kept) < KEY_BYTES:
            return None
        sign, content = kept[:KEY_BYTES], kept[KEY_BYTES:]
        if not hmac.compare_digest(sign, self._sign(key, content)):
            return None
        body, warnings = pickle.loads(content)
        return body, warnings

    def keep(self, key: str, body: Body, warnings: tuple[str, ...], seconds: float) -> None:
        """Keep a step that took so long; a disk that is full keeps none, and nothing else is lost by it."""
        if seconds < WORTH_KEEPING:
            return
        content = pickle.dumps((body, warnings), protocol=pickle.HIGHEST_PROTOCOL)
        with suppress(OSError, sqlite3.Error, diskcache.Timeout):
            self._disk.set(self._name(key), self._sign(key, content) + content)

    def _name(self, key: str) -> str:
        return f"{self._stamp} {key}"

    def _sign(self, key: str, content: bytes) -> bytes:
        return hmac.digest(self._secret, self._name(key).encode() + content, "sha256")


_store: ContextVar[StepStore | None] = ContextVar("lathwick_step_store", default=None)


def current_store() -> StepStore | None:
    """The store on disk that designs use now; None for none."""
    return _store.get()


def cache(folder: str | os.PathLike[str] | None) -> StepStore | None:
    """Let designs keep their steps in a folder, from now on and in later runs; None for no longer.

    Steps are found again by the content of all that they are made of, so that a changed script makes only
    what it changes anew. Returns the store. Raises ExchangeError where the folder cannot be made or written.
    """
    store = None if folder is None else StepStore(folder)
    _store.set(store)
    return store


def _secret() -> bytes:
    """The user's own key, made on first use, readable by the user alone."""
    path = Path(platformdirs.user_config_dir("lathwick"), KEY_FILE)
    with suppress(OSError):
        found = path.read_bytes()
        if len(found) == KEY_BYTES:
            return found
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    write_atomically(path, secrets.token_bytes(KEY_BYTES))
    path.chmod(0o600)
    return path.read_bytes()


def _stamp() -> str:
    """Changes with the package's version and code, and with the numerical libraries."""
    package = Path(__file__).parents[1]
    sources = sorted(package.rglob("*.py"))
    states = [(str(s.relative_to(package)), s.stat().st_size, s.stat().st_mtime_ns) for s in sources]
    libraries = [version(name) for name in ("numpy", "scipy", "shapely")]
    return hashlib.sha256(repr((states, libraries)).encode()).hexdigest()[:16]
