"""The job file: a ZIP of ``job.json`` (schema number first), ``sources/`` and ``preview.png``.

Saved by writing a new file beside the old one, forcing it to disk and renaming it; the last good one
stays beside it as ``*.archimetra.before``. Reading is bounded and never executes anything. The format is
written down in docs/job-format.md.
"""

from __future__ import annotations

import errno
import hashlib
import lzma
import struct
import zipfile
import zlib
from io import BytesIO
from pathlib import Path as FilePath
from typing import Any
from weakref import WeakKeyDictionary

import msgspec
import numpy as np

from archimetra.base.errors import JobFileError
from archimetra.base.files import lock_folder, why, write_safely
from archimetra.geometry.path import Path
from archimetra.job.gate import whats_loose, whats_wrong
from archimetra.job.job import Job
from archimetra.job.migrations import migrated

SCHEMA = 11
SUFFIX = ".archimetra"
MAX_JSON_BYTES = 400_000_000
MAX_SOURCE_BYTES = 100_000_000
MAX_SOURCES_BYTES = 400_000_000  # all of them together
MAX_ENTRIES = 2_000
MAX_FILE_BYTES = 1_000_000_000


class JobFile(msgspec.Struct, frozen=True):
    """What a file holds: the job, the artwork files as delivered, and a small picture."""

    job: Job
    sources: dict[str, bytes] = {}
    preview_png: bytes = b""


class _Header(msgspec.Struct):
    schema: int


class _Written(msgspec.Struct, kw_only=True, forbid_unknown_fields=True):
    schema: int
    job: Job


def encode_job(job: Job) -> bytes:
    """``job.json``: the schema number first, then the job."""
    return msgspec.json.encode(_Written(schema=SCHEMA, job=job), enc_hook=plain_of)


def decode_job(data: bytes, *, name: str) -> Job:
    """The job in ``job.json``. Raises JobFileError with a sentence for anything else."""
    try:
        header = msgspec.json.decode(data, type=_Header)
    except msgspec.DecodeError as error:
        raise JobFileError(f"{name} is damaged: its job text cannot be read ({error}). {_OPEN_BEFORE}") from error
    if header.schema > SCHEMA:
        raise JobFileError(
            f"{name} was saved by a newer Archimetra (file schema {header.schema}; this one reads up to {SCHEMA}). "
            "Update Archimetra to open it."
        )
    if header.schema < 1:
        raise JobFileError(f"{name} is damaged: schema {header.schema} does not exist. {_OPEN_BEFORE}")
    try:
        job = _current(data) if header.schema == SCHEMA else _older(data, header.schema)
        problem = whats_loose(job) or whats_wrong(job)
    except (msgspec.DecodeError, ValueError, ArithmeticError, RecursionError, MemoryError) as error:
        raise JobFileError(f"{name} is damaged: {error}. {_OPEN_BEFORE}") from error
    if problem:
        raise JobFileError(f"{name} is damaged: {problem}. {_OPEN_BEFORE}")
    return job


def _current(data: bytes) -> Job:
    return msgspec.json.decode(data, type=_Written, dec_hook=record_of).job


def _older(data: bytes, schema: int) -> Job:
    written = msgspec.json.decode(data)
    job = written.pop("job", None)
    if not isinstance(job, dict):
        raise ValueError("it holds no job")
    written |= {"schema": SCHEMA, "job": migrated(job, schema)}
    return msgspec.convert(written, _Written, dec_hook=record_of).job


_OPEN_BEFORE = "The file beside it ending in .before is the version saved before."


class OnDisk(msgspec.Struct, frozen=True):
    """A file as it was read or written: enough to tell whether anybody has changed it since."""

    size: int
    mtime_ns: int
    inode: int
    digest: bytes


class JobFileChanged(JobFileError):
    """The file on disk is not the one that was opened or saved last."""


def save_job(path: FilePath, content: JobFile, *, over: OnDisk | None = None) -> OnDisk:
    """Write the file so that a crash or a full disk at any moment leaves the old one whole; what it then is on disk.

    With ``over``, only that very version is replaced (or none, where the file has gone): of two programs that save at
    once one is told. Raises JobFileChanged for that, else JobFileError with what went wrong and what to do; the old file
    is untouched then.
    """
    data = pack(content)
    try:
        with lock_folder(path):
            if over is not None and is_changed(path, over):
                raise JobFileChanged(f"{path.name} was changed on disk since it was opened here.")
            write_safely(path, data, keep_before=True)
            return _as_on_disk(path, data)
    except OSError as error:
        raise JobFileError(f"{path.name} was not saved: {why(error, path)} The file on disk is unchanged.") from error


def pack(content: JobFile) -> bytes:
    """The file's bytes; the same content gives the same bytes."""
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
        _add(archive, "job.json", encode_job(content.job))
        for name, data in sorted(content.sources.items()):
            _add(archive, f"sources/{name}", data)
        if content.preview_png:
            _add(archive, "preview.png", content.preview_png)
    return out.getvalue()


def load_job(path: FilePath) -> JobFile:
    """What the file holds. Raises JobFileError with a sentence for a missing, damaged, newer or foreign file."""
    return open_job(path)[0]


def open_job(path: FilePath) -> tuple[JobFile, OnDisk]:
    """What the file holds and what it is on disk. Raises JobFileError as ``load_job``."""
    data = read_whole(path)
    return unpack(data, name=path.name), _as_on_disk(path, data)


def read_whole(path: FilePath) -> bytes:
    """A job file's bytes. Raises JobFileError where it is no file, cannot be read, or is larger than any job."""
    try:
        if not path.is_file():
            if path.exists():
                raise JobFileError(f"{path.name} is not a file, so it holds no job.")
            raise FileNotFoundError(errno.ENOENT, "")
        if path.stat().st_size > MAX_FILE_BYTES:
            raise JobFileError(
                f"{path.name} is larger than any job ({MAX_FILE_BYTES // 1_000_000} MB) and was not opened."
            )
        return path.read_bytes()
    except OSError as error:
        raise JobFileError(f"{path.name} could not be opened: {why(error, path)}") from error


def is_changed(path: FilePath, known: OnDisk) -> bool:
    """Whether the file is another than it was. One that has gone is not: saving brings it back. Raises OSError."""
    try:
        now = path.stat()
        if (now.st_size, now.st_mtime_ns, now.st_ino) == (known.size, known.mtime_ns, known.inode):
            return False
        return now.st_size != known.size or _digest(path.read_bytes()) != known.digest
    except FileNotFoundError:
        return False


def on_disk(path: FilePath) -> OnDisk | None:
    """The file as it is now; None where there is none that can be read."""
    try:
        return _as_on_disk(path, path.read_bytes())
    except OSError:
        return None


def _as_on_disk(path: FilePath, data: bytes) -> OnDisk:
    try:
        now = path.stat()
    except OSError:
        return OnDisk(len(data), 0, 0, _digest(data))
    return OnDisk(len(data), now.st_mtime_ns, now.st_ino, _digest(data))


def _digest(data: bytes) -> bytes:
    return hashlib.blake2b(data, digest_size=16).digest()


def unpack(data: bytes, *, name: str) -> JobFile:
    if not data:
        raise JobFileError(f"{name} is empty. {_OPEN_BEFORE}")
    try:
        with zipfile.ZipFile(BytesIO(data)) as archive:
            entries = archive.infolist()
            if len(entries) > MAX_ENTRIES:
                raise JobFileError(f"{name} holds {len(entries)} entries; a job holds at most {MAX_ENTRIES}.")
            names = {entry.filename for entry in entries}
            if "job.json" not in names:
                raise JobFileError(f"{name} is not an Archimetra job: it holds no job.json.")
            job = decode_job(_read(archive, "job.json", MAX_JSON_BYTES, name), name=name)
            sources, total = {}, 0
            for entry in sorted(names):
                own = entry.removeprefix("sources/")
                if entry.startswith("sources/") and _is_plain(own):
                    sources[own] = _read(archive, entry, min(MAX_SOURCE_BYTES, MAX_SOURCES_BYTES - total), name)
                    total += len(sources[own])
            preview = _read(archive, "preview.png", 20_000_000, name) if "preview.png" in names else b""
    except (
        zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, OSError, struct.error, ValueError, LookupError,
        ArithmeticError, NotImplementedError, RuntimeError, MemoryError,
    ) as error:  # fmt: skip
        raise JobFileError(f"{name} is damaged or not an Archimetra job ({error}). {_OPEN_BEFORE}") from error
    return JobFile(job, sources, preview)


# ---- inner workings


def _add(archive: zipfile.ZipFile, name: str, data: bytes) -> None:
    entry = zipfile.ZipInfo(name, date_time=(1980, 1, 1, 0, 0, 0))
    entry.compress_type = zipfile.ZIP_DEFLATED
    entry.external_attr = 0o644 << 16
    archive.writestr(entry, data)


def _read(archive: zipfile.ZipFile, entry: str, limit: int, name: str) -> bytes:
    """At most ``limit`` bytes are ever unpacked, whatever the entry claims."""
    with archive.open(entry) as handle:
        data = handle.read(limit + 1)
    if len(data) > limit:
        raise JobFileError(f"{name}: its part {entry} unpacks to more than {limit // 1_000_000} MB and was not opened.")
    return data


def _is_plain(name: str) -> bool:
    return bool(name) and "/" not in name and "\\" not in name and name not in (".", "..")


def plain_of(value: Any) -> Any:
    """What JSON has no words for, in words it has (msgspec's ``enc_hook``)."""
    if isinstance(value, Path):
        return _path_text(value)
    raise NotImplementedError(f"cannot write {type(value).__name__}")


_texts: WeakKeyDictionary[Path, msgspec.Raw] = WeakKeyDictionary()


def _path_text(path: Path) -> msgspec.Raw:
    """A path as JSON. Paths never change and are written again with every autosave, so their text is kept: writing a
    large job then takes no more than copying it, and holds nobody up."""
    text = _texts.get(path)
    if text is None:
        parts = {
            "closed": path.closed,
            "kinds": path.kinds.tobytes().translate(_TO_LETTER).decode(),
            "nodes": path.nodes.ravel().tolist(),
            "params": _sparse_params(path),
        }
        text = _texts[path] = msgspec.Raw(msgspec.json.encode(parts))
    return text


_TO_LETTER = bytes.maketrans(b"\x00\x01\x02", b"LAC")
_FROM_LETTER = bytes.maketrans(b"LAC", b"\x00\x01\x02")
_COUNTS = (0, 1, 4)


def _sparse_params(path: Path) -> list[float]:
    """Only the numbers that mean something: none for a line, one for an arc, four for a cubic."""
    used = np.arange(4)[None, :] < np.take(_COUNTS, path.kinds)[:, None]
    return [float(value) for value in path.params[used]]


def record_of(kind: type, value: Any) -> Any:
    """The same back (``dec_hook``). Raises ValueError for what cannot be."""
    if kind is not Path:
        raise NotImplementedError(f"cannot read {kind.__name__}")
    if not isinstance(value, dict):
        raise ValueError("a path is an object")
    try:
        letters = str(value["kinds"]).encode("ascii")
        if letters.strip(b"LAC"):
            raise ValueError("a path's kinds are L, A and C")
        kinds = np.frombuffer(letters.translate(_FROM_LETTER), dtype=np.uint8).copy()
        nodes = np.array(value["nodes"], dtype=np.float64).reshape(-1, 2)
        params = np.zeros((len(kinds), 4))
        used = np.arange(4)[None, :] < np.take(_COUNTS, kinds)[:, None]
        params[used] = np.array(value["params"], dtype=np.float64)
        return Path(nodes, kinds, params, closed=value["closed"] is True)
    except (KeyError, TypeError, UnicodeEncodeError) as error:
        raise ValueError(f"a path is incomplete ({error})") from error
