"""Where a control may hang: a serial port, a pseudo-terminal, an address on the network. Opened for one at a time; every fault is a sentence."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import grp
import hashlib
import os
import re
import socket
import stat
import tempfile
from pathlib import Path
from typing import NamedTuple

from archimetra.base.errors import ArchimetraError

SPEEDS = (9600, 19200, 38400, 57600, 115200, 230400, 250000)
SPEED = 115200
CONNECT_S = 3.0
_NETWORK = re.compile(r"(?:tcp:)?([A-Za-z0-9_.-]+|\[[0-9a-fA-F:.%]+\]):(\d{1,5})")


class LinkError(ArchimetraError):
    """A port that cannot be opened."""


class Port(NamedTuple):
    """A port of this computer: its path, and what hangs there as far as it says."""

    path: str
    words: str


def find_ports() -> list[Port]:
    """The serial ports something hangs at."""
    from serial.tools import list_ports

    found = []
    for one in sorted(list_ports.comports()):
        words = one.description if one.description not in (None, "n/a") else ""
        if words or one.hwid != "n/a":
            found.append(Port(one.device, shown_words(words)))
    return found


def shown_words(text: str) -> str:
    """What a device says of itself, safe to be shown."""
    return "".join(c if c.isprintable() else "?" for c in text)[:60]


class Line:
    """An open line. ``number`` is its file; reading and writing do not wait."""

    def __init__(self, number: int, holder: object, lock: int) -> None:
        self.number = number
        self._holder = holder  # a socket or a serial port, which closes the file
        self._lock = lock

    def read(self) -> bytes:
        """What has come, b'' for nothing. Raises OSError where the line is gone."""
        try:
            data = self._holder.recv(4096) if isinstance(self._holder, socket.socket) else os.read(self.number, 4096)
        except BlockingIOError:
            return b""
        if not data:
            raise OSError(errno.ENODEV, "it was closed at the other end")
        return data

    def write(self, data: bytes) -> int:
        """How many bytes went out."""
        try:
            return os.write(self.number, data)
        except BlockingIOError:
            return 0

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._holder.close()  # type: ignore[attr-defined]
        with contextlib.suppress(OSError):
            os.close(self._lock)


def open_line(address: str, *, speed: int = SPEED) -> Line:
    """Open ``address``: the path of a port or a pseudo-terminal, or host:port. Raises LinkError."""
    address = address.strip()
    if not address:
        raise LinkError("No port is chosen. Choose one, or type host:port.")
    network = _NETWORK.fullmatch(address)
    if network is None and not address.startswith("/"):
        raise LinkError(
            f"'{address}' is no port. Choose one of the list, or type host:port or a path that begins with /."
        )
    lock = _locked(address if network is not None else os.path.realpath(address), address)
    try:
        if network is not None:
            return _network_line(network.group(1).strip("[]"), int(network.group(2)), lock)
        return _serial_line(address, speed, lock)
    except BaseException:
        os.close(lock)
        raise


def _locked(place: str, address: str) -> int:
    """Hold a place against every other window of this computer, for as long as the file that is returned is open."""
    folder = Path(os.environ.get("XDG_RUNTIME_DIR") or tempfile.gettempdir()) / f"archimetra-{os.getuid()}"
    folder.mkdir(mode=0o700, exist_ok=True)
    name = hashlib.blake2b(place.encode(), digest_size=10).hexdigest()
    handle = os.open(folder / f"line-{name}", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        os.close(handle)
        raise LinkError(
            f"{address} is in use by another window of Archimetra. One window at a time leads a machine: use that one, or disconnect it there."
        ) from error
    return handle


def _network_line(host: str, port: int, lock: int) -> Line:
    if not 0 < port < 65536:
        raise LinkError(f"{port} is no port of a network: they go from 1 to 65535.")
    try:
        line = socket.create_connection((host, port), timeout=CONNECT_S)
    except TimeoutError as error:
        raise LinkError(f"{host}:{port} does not answer. Is the machine on, and on the same network?") from error
    except socket.gaierror as error:
        raise LinkError(f"There is no '{host}' on the network. Check how it is written.") from error
    except ConnectionRefusedError as error:
        raise LinkError(f"Nothing listens at {host}:{port}. Is the machine on, and is {port} its port?") from error
    except OSError as error:
        raise LinkError(f"{host}:{port} cannot be reached: {error.strerror or error}.") from error
    line.setblocking(False)
    line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return Line(line.fileno(), line, lock)


def _serial_line(path: str, speed: int, lock: int) -> Line:
    from serial import Serial, SerialException

    _look_at(path)
    try:
        port = Serial(path, speed, timeout=0, write_timeout=0, exclusive=True)
    except (SerialException, OSError, ValueError) as error:
        raise LinkError(_why(path, error)) from error
    os.set_blocking(port.fileno(), False)
    return Line(port.fileno(), port, lock)


def _look_at(path: str) -> None:
    """Tell what is no port before it is opened, which might do something."""
    try:
        kind = os.stat(path).st_mode
    except FileNotFoundError as error:
        raise LinkError(
            f"{path} is not there. Is the machine plugged in and switched on? Look for ports again."
        ) from error
    except OSError as error:
        raise LinkError(_why(path, error)) from error
    if not stat.S_ISCHR(kind):
        raise LinkError(
            f"{path} is no port but a {'folder' if stat.S_ISDIR(kind) else 'file'}. Choose one of the list."
        )


def _why(path: str, error: Exception) -> str:
    number = getattr(error, "errno", None)
    words = str(error).lower()
    if number == errno.EACCES or "permission" in words:
        return f"There are no rights to use {path}. {_rights(path)}"
    if number in (errno.EBUSY, errno.EAGAIN, errno.EWOULDBLOCK) or "lock" in words or "busy" in words:
        return f"{path} is taken by another program. Close it there first."
    if number == errno.ENOENT or "no such" in words:
        return f"{path} is not there. Is the machine plugged in and switched on? Look for ports again."
    if number == errno.ENOTTY or "configure" in words or "inappropriate" in words:
        return f"{path} is another device, not a serial port. Choose one of the list."
    return f"{path} cannot be opened: {getattr(error, 'strerror', None) or error}."


def _rights(path: str) -> str:
    try:
        group = grp.getgrgid(os.stat(path).st_gid).gr_name
    except (OSError, KeyError):
        return "Ask who looks after this computer."
    return f"It belongs to the group '{group}': have your account put into it (sudo usermod -aG {group} $USER), then log in anew."
