"""Writing files so that a crash, a kill or a full disk at any moment leaves the old one whole, and nothing lying about.

The new content goes to a file that has no name yet, is brought to the disk, and then takes the old one's place in one step. Where the
file system has no nameless files a hidden name beside the old one serves; what a kill leaves of such is cleared up at the next writing.
A symbolic link is written through: it goes on pointing where it did.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import re
import stat
from collections.abc import Iterator
from pathlib import Path

BEFORE = ".before"


def write_safely(path: Path, data: bytes, *, keep_before: bool = False) -> None:
    """Put ``data`` in place of the file, or make it. With ``keep_before`` the version it replaces stays beside it, its name ending in
    ``.before``. Raises OSError; the old file is untouched then."""
    target = Path(os.path.realpath(path))
    _clear_up(target)
    fresh = target.with_name(f".{target.name}.{os.getpid()}.new")
    mode = _mode_of(target)
    try:
        if not _written_nameless(target, fresh, data, mode):
            handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, mode)
            try:
                _fill(handle, data, target, mode)
            finally:
                os.close(handle)
        if keep_before and target.exists():
            before = target.with_name(target.name + BEFORE)
            with contextlib.suppress(OSError):  # a missing safety copy must not stop a save
                before.unlink(missing_ok=True)
                os.link(target, before)
        os.replace(fresh, target)
    except OSError:
        with contextlib.suppress(OSError):
            fresh.unlink(missing_ok=True)
        raise
    sync_folder(target.parent)


@contextlib.contextmanager
def lock_folder(path: Path) -> Iterator[None]:
    """Hold the folder a file lies in against others that do the same, so that looking at a file and replacing it are one
    step. Where the file system knows no locks there is none."""
    handle = -1
    with contextlib.suppress(OSError):
        handle = os.open(Path(os.path.realpath(path)).parent, os.O_RDONLY | os.O_CLOEXEC)
        fcntl.flock(handle, fcntl.LOCK_EX)
    try:
        yield
    finally:
        if handle >= 0:
            os.close(handle)


def why(error: OSError, path: Path) -> str:
    """What went wrong with a file, and what to do, as the rest of a sentence."""
    match error.errno:
        case errno.ENOSPC | errno.EDQUOT:
            return "the disk is full. Free some space or save to another place."
        case errno.EACCES | errno.EPERM | errno.EROFS:
            return f"there is no permission for {path.parent}. Save to another place."
        case errno.ENOENT:
            return f"{path} is not there. Choose another place."
        case errno.EISDIR:
            return f"{path.name} is a folder. Choose another name."
        case errno.ENOTDIR:
            return f"{path.parent} is not a folder. Choose another place."
        case errno.ENAMETOOLONG:
            return "the name is too long. Choose a shorter one."
    return f"{error.strerror or error}."


def sync_folder(folder: Path) -> None:
    """Bring a folder's names to the disk, where its file system lets that be asked for."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _written_nameless(target: Path, fresh: Path, data: bytes, mode: int) -> bool:
    """Write a file that vanishes with its process until it is whole, then name it ``fresh``. False where there are none such."""
    flag = getattr(os, "O_TMPFILE", 0)
    if not flag or not Path("/proc/self/fd").is_dir():
        return False
    try:
        handle = os.open(target.parent, os.O_WRONLY | flag | os.O_CLOEXEC, mode)
    except OSError:
        return False
    try:
        _fill(handle, data, target, mode)
        fresh.unlink(missing_ok=True)
        folder = os.open(target.parent, os.O_RDONLY | os.O_CLOEXEC)
        try:
            # a folder's handle makes this the call that follows the link to the open file
            os.link(f"/proc/self/fd/{handle}", fresh, src_dir_fd=folder, follow_symlinks=True)
        except OSError as error:
            if error.errno in (errno.EXDEV, errno.EOPNOTSUPP, errno.ENOENT, errno.EPERM):
                return False
            raise
        finally:
            os.close(folder)
    finally:
        os.close(handle)
    return True


def _fill(handle: int, data: bytes, target: Path, mode: int) -> None:
    """Write everything and bring it to the disk; with the rights of the file that is replaced, whatever the umask."""
    if target.exists():
        os.fchmod(handle, mode)
    view = memoryview(data)
    while view:
        view = view[os.write(handle, view) :]
    os.fsync(handle)


def _mode_of(target: Path) -> int:
    """The rights of the file that is replaced, or those of a new one."""
    try:
        return stat.S_IMODE(target.stat().st_mode)
    except OSError:
        return 0o666


def _clear_up(target: Path) -> None:
    """Take away what processes that are gone left of their writing to this file."""
    pattern = re.compile(rf"\.{re.escape(target.name)}\.(\d+)\.new")
    with contextlib.suppress(OSError):
        for name in os.listdir(target.parent):
            match = pattern.fullmatch(name)
            if match is not None and not Path(f"/proc/{match[1]}").exists() and Path("/proc/self").exists():
                with contextlib.suppress(OSError):
                    os.unlink(target.parent / name)
