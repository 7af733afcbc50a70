"""The controllers there are: those shipped, and a person's own in a folder beside their rack."""

from __future__ import annotations

from functools import cache, lru_cache
from importlib.resources import files
from pathlib import Path as FilePath

import msgspec
import platformdirs

from archimetra.base.errors import OutputError
from archimetra.base.files import why, write_safely
from archimetra.output.controllers.profile import MOST_BYTES, Controller, as_toml, check, parsed

_SUFFIX = ".toml"


@cache
def shipped() -> dict[str, Controller]:
    """Those that come with the program, by name."""
    profiles = [
        parsed(entry.read_bytes(), entry.name) for entry in files(__package__).iterdir() if entry.name.endswith(_SUFFIX)
    ]
    return {profile.name: profile for profile in sorted(profiles, key=lambda profile: profile.name)}


def own_folder() -> FilePath:
    """Where a person's own are kept, a file each."""
    return FilePath(platformdirs.user_config_dir("archimetra")) / "controllers"


def own(folder: FilePath | None = None) -> tuple[dict[str, Controller], list[str]]:
    """A person's own by name, and what is wrong with files that could not be read."""
    found: dict[str, Controller] = {}
    problems: list[str] = []
    folder = folder or own_folder()
    try:
        paths = sorted(folder.glob(f"*{_SUFFIX}")) if folder.is_dir() else []
    except OSError:
        return found, [f"{folder} could not be looked into."]
    for path in paths:
        try:
            stat = path.stat()
            profile = _read_once(path, stat.st_mtime_ns, stat.st_size)
        except (OutputError, OSError) as error:
            problems.append(str(error))
            continue
        if profile.name in found:
            problems.append(
                f"{path.name}: another file is controller '{profile.name}' already; this one is passed over."
            )
            continue
        found[profile.name] = profile
    return found, problems


def controllers(folder: FilePath | None = None) -> dict[str, Controller]:
    """All by name; a person's own stands in for a shipped one of the same name."""
    return {**shipped(), **own(folder)[0]}


def controller(name: str) -> Controller:
    """Raises OutputError with the names there are."""
    known = controllers()
    if name not in known:
        raise OutputError(f"There is no controller '{name}'. Known are: {', '.join(known)}.")
    return known[name]


def read(path: FilePath) -> Controller:
    """A profile from a file. Raises OutputError."""
    try:
        with path.open("rb") as file:
            data = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise OutputError(f"{path} could not be read: {why(error, path)}.") from error
    return parsed(data, path.name)


@lru_cache(maxsize=256)
def _read_once(path: FilePath, _modified: int, _size: int) -> Controller:
    """A profile as long as its file stays: pages ask for all of them again and again."""
    return read(path)


def write(profile: Controller, path: FilePath) -> None:
    """A profile as a file. Raises OutputError."""
    check(profile)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_safely(path, as_toml(profile).encode())
    except OSError as error:
        raise OutputError(f"{path} could not be written: {why(error, path)}.") from error


def keep(profile: Controller, folder: FilePath | None = None) -> None:
    """Keep a person's own. Raises OutputError."""
    write(profile, (folder or own_folder()) / f"{profile.name}{_SUFFIX}")


def drop(name: str, folder: FilePath | None = None) -> None:
    """Forget a person's own; one that stood in for a shipped one gives way to it. Raises OutputError."""
    folder = folder or own_folder()
    for path in sorted(folder.glob(f"*{_SUFFIX}")):
        try:
            is_it = read(path).name == name
        except OutputError:
            continue
        if is_it:
            try:
                path.unlink()
            except OSError as error:
                raise OutputError(f"{path} could not be removed: {why(error, path)}.") from error


def copy_of(profile: Controller, known: dict[str, Controller]) -> Controller:
    """The same under a name and a title of its own."""
    stem, k = profile.name[:34].rstrip("-"), 2
    while f"{stem}-{k}" in known:
        k += 1
    return msgspec.structs.replace(profile, name=f"{stem}-{k}", title=f"{profile.title[:52]} {k}")
