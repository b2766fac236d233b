"""Writing a file whole or not at all, through links, with the rights it had.

The content goes to a temporary file beside the target, is flushed to disk and renamed over it. The
temporary one is named after the process, so that what a killed one left behind is known and goes.
"""

from __future__ import annotations

import errno
import os
import re
import stat
import uuid
from contextlib import suppress
from pathlib import Path

from onda.errors import InputError

__all__ = ["remove_leftovers", "write_atomically"]

_LEFTOVER = re.compile(r"\..+\.([0-9]{1,10})-[0-9a-f]{8}\.part")

# What to do about it, by what stood in the way.
_REMEDIES = {
    errno.ENOSPC: "Free some space or choose another place.",
    errno.EDQUOT: "Free some space or choose another place.",
    errno.ENOENT: "Its folder is not there any more: choose another place.",
    errno.ENOTDIR: "Its folder is not there any more: choose another place.",
    errno.EACCES: "Ask for the right to write there, or choose another place.",
    errno.EPERM: "Ask for the right to write there, or choose another place.",
    errno.EROFS: "That disk can only be read: choose another place.",
    errno.ELOOP: "Its link leads back to itself: choose another place.",
    errno.EISDIR: "A folder has that name: choose another one.",
    errno.ENAMETOOLONG: "Choose a shorter name.",
}


def write_atomically(path: Path, data: bytes, *, flush: bool = True) -> None:
    """Put `data` at `path`, or leave what is there as it was.

    A link is written through, to where it leads. An old file's mode and, where that is allowed, its
    owner are kept; a new one gets what the user's mask leaves. `flush` False leaves it to the
    system when it reaches the disk: for what can be made again.

    Raises
    ------
    InputError : it cannot be written, or the file is set to be read only
    """
    temporary: Path | None = None
    try:
        target = _behind_links(path)
        old = _status(target)
        begun = target.with_name(f".{target.name[:200]}.{os.getpid()}-{uuid.uuid4().hex[:8]}.part")
        handle = os.open(begun, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666)
        temporary = begun
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            if flush:
                stream.flush()
                os.fsync(stream.fileno())
        if old is not None:
            _keep_rights(temporary, old)
        os.replace(temporary, target)
        temporary = None
        if flush:
            _flush_folder(target.parent)
    except OSError as error:
        remedy = _REMEDIES.get(error.errno or 0, "Choose another place.")
        raise InputError(
            f"could not be saved: {error.strerror or error}",
            file=str(path),
            remedy=f"What was there is as it was. {remedy}",
        ) from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def remove_leftovers(folder: Path) -> None:
    """Remove what processes that were killed while they wrote into a folder left there."""
    with suppress(OSError):
        for path in folder.iterdir():
            name = _LEFTOVER.fullmatch(path.name)
            if name is not None and not _lives(int(name[1])):
                path.unlink(missing_ok=True)


def _behind_links(path: Path) -> Path:
    """Where a link leads, through further ones; the path itself where it is none."""
    if not path.is_symlink():
        return path
    try:
        return path.resolve(strict=False)
    except RuntimeError as error:
        raise OSError(errno.ELOOP, os.strerror(errno.ELOOP)) from error


def _status(target: Path) -> os.stat_result | None:
    try:
        old = target.stat()
    except FileNotFoundError:
        return None
    if stat.S_ISDIR(old.st_mode):
        raise OSError(errno.EISDIR, os.strerror(errno.EISDIR))
    if not old.st_mode & 0o222 or not os.access(target, os.W_OK):
        raise OSError(errno.EACCES, "the file is set to be read only")
    return old


def _keep_rights(temporary: Path, old: os.stat_result) -> None:
    """Owner first: changing it may take bits off the mode."""
    if (old.st_uid, old.st_gid) != (os.geteuid(), os.getegid()):
        with suppress(PermissionError):
            os.chown(temporary, old.st_uid, old.st_gid)
    os.chmod(temporary, stat.S_IMODE(old.st_mode) & 0o777)


def _flush_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _lives(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True
