"""A show and its recordings in one zip, and back. What comes from elsewhere is taken for hostile: names that lead out of the folder,
links, bombs, names twice, and sums that do not fit are refused before anything is written.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import stat
import tempfile
import zipfile
import zlib
from pathlib import Path, PurePosixPath, PureWindowsPath
from typing import IO

from kymaphon.core.model.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.show_file import parse_show, show_text, write_show
from kymaphon.files.take_places import take_path, there
from kymaphon.files.text_file import LARGEST_BYTES, umask, whole_file

SHOW_NAME = "show.json"
TAKES = "takes"
MOST_MEMBERS = 2000
MOST_BYTES = 200 * 1024**3
MOST_RATIO = 200.0
"""So much smaller a recording may have become: silence packs well, but not without end."""
STEP = 1 << 20


def pack(target: str | Path, show: Show, folder: Path | None) -> tuple[int, tuple[str, ...]]:
    """Writes an archive; how many recordings are in it, and names of those that were not found.

    Args:
        folder: where the show lies; takes without a place of their own lie beside it.

    Raises:
        FileProblem: it cannot be written; nothing is left behind then.
    """
    target = Path(target)
    guard(target)
    names: dict[str, Path] = {}
    takes, lost = [], []
    for take in show.takes:
        path = take_path(take, folder)
        if not there(path):
            lost.append(Path(take.file).name)
            takes.append(take)
            continue
        name = _fresh(path, names)
        names[name] = path
        takes.append(take.model_copy(update={"file": f"{TAKES}/{name}"}))
    inside = show.model_copy(update={"takes": tuple(takes)})
    with whole_file(target) as file, zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as archive:
        archive.writestr(SHOW_NAME, show_text(inside))
        for name, path in names.items():
            archive.write(path, f"{TAKES}/{name}")
    return len(names), tuple(lost)


def _fresh(path: Path, names: dict[str, Path]) -> str:
    """A name in the archive that no other recording has; the same recording keeps its own."""
    name, n = path.name, 1
    while name in names and names[name] != path:
        n += 1
        name = f"{path.stem}-{n}{path.suffix}"
    return name


def unpack(source: str | Path, into: str | Path) -> Path:
    """Unpacks an archive into a folder of its own under another; the show file in it.

    Raises:
        FileProblem: it is no archive of a show, it is hostile or damaged, or it cannot be written; nothing is left behind then.
    """
    source, into = Path(source), Path(into)
    try:
        with zipfile.ZipFile(source) as archive:
            members = _checked(source, archive)
            show = parse_show(source, _text(source, archive))
            target = _folder(into, source.stem)
            return _written(source, archive, members, show, target)
    except zipfile.BadZipFile as error:
        raise FileProblem(source, f"is no archive, or a damaged one: {error}") from error
    except (NotImplementedError, RuntimeError, zlib.error) as error:
        raise FileProblem(source, f"cannot be unpacked: {error}") from error
    except (OSError, EOFError, ValueError) as error:
        raise FileProblem(source, f"cannot be unpacked: {getattr(error, 'strerror', None) or error}") from error


def _checked(source: Path, archive: zipfile.ZipFile) -> list[zipfile.ZipInfo]:
    """The members, when all of them may be unpacked."""
    members = archive.infolist()
    if len(members) > MOST_MEMBERS:
        raise FileProblem(source, f"has {len(members)} files in it; at most {MOST_MEMBERS} are unpacked")
    seen: set[str] = set()
    whole = 0
    for row in members:
        if row.is_dir():
            continue
        _refuse_name(source, row)
        if row.filename.casefold() in seen:
            raise FileProblem(source, f"has {row.filename[:60]} in it twice")
        seen.add(row.filename.casefold())
        whole += row.file_size
        if row.file_size > STEP and row.file_size > MOST_RATIO * max(row.compress_size, 1):
            raise FileProblem(source, f"is packed too tight to be true at {row.filename[:60]}; it is not unpacked")
        if row.flag_bits & 0x1:
            raise FileProblem(source, "is locked with a password")
    if whole > MOST_BYTES:
        raise FileProblem(source, f"would be {whole / 1e9:.0f} GB; it is not unpacked")
    if SHOW_NAME not in {row.filename for row in members}:
        raise FileProblem(source, f"has no {SHOW_NAME} in it: it is no archive of a show")
    return [row for row in members if not row.is_dir()]


def _refuse_name(source: Path, row: zipfile.ZipInfo) -> None:
    """Only the show, and files in `takes`, by names that lead nowhere else on any system."""
    name = row.filename
    posix, windows = PurePosixPath(name), PureWindowsPath(name)
    mode = row.external_attr >> 16
    wrong = (
        "\0" in name
        or "\\" in name
        or ":" in name
        or posix.is_absolute()
        or windows.is_absolute()
        or any(part in ("..", ".", "") for part in name.split("/"))
        or any(ord(c) < 32 for c in name)
    )
    linked = mode and stat.S_IFMT(mode) not in (0, stat.S_IFREG)
    if wrong or linked:
        raise FileProblem(
            source,
            f"has a {'link' if linked else 'name'} in it that leads out of its folder: {name[:60]!r}; nothing was unpacked",
        )
    known = name == SHOW_NAME or (len(posix.parts) == 2 and posix.parts[0] == TAKES)
    if not known:
        raise FileProblem(
            source, f"has {name[:60]!r} in it, which is neither the show nor a recording; nothing was unpacked"
        )


def _text(source: Path, archive: zipfile.ZipFile) -> str:
    info = archive.getinfo(SHOW_NAME)
    if info.file_size > LARGEST_BYTES:
        raise FileProblem(source, f"holds a show of {info.file_size / 1e6:.0f} MB, which is none")
    with archive.open(info) as file:
        data = file.read(LARGEST_BYTES + 1)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FileProblem(source, "holds a show that is no text") from error


def _folder(into: Path, name: str) -> Path:
    """A new folder that nothing lies in."""
    plain = "".join(c if c.isalnum() or c in "-_ " else "-" for c in name)[:60].strip() or "show"
    for n in range(1, 1000):
        target = into / (plain if n == 1 else f"{plain}-{n}")
        if not target.exists():
            return target
    raise FileProblem(into, f"has too many folders called {plain}")


def _written(source: Path, archive: zipfile.ZipFile, members: list[zipfile.ZipInfo], show: Show, target: Path) -> Path:
    """Everything in a folder beside first, which takes its name when all is there."""
    _refuse_takes(source, show, {row.filename for row in members})
    into = target.parent
    if not into.is_dir():
        raise FileProblem(into, "there is no such folder")
    beside = Path(tempfile.mkdtemp(dir=into, prefix=".unpacking."))
    try:
        (beside / TAKES).mkdir()
        sums = {row.file: row.sha256 for row in show.takes}
        for row in members:
            if row.filename == SHOW_NAME:
                continue
            digest = hashlib.sha256()
            with archive.open(row) as file, (beside / TAKES / PurePosixPath(row.filename).name).open("xb") as out:
                _copied(source, row, file, out, digest)
            known = sums.get(row.filename)
            if known is not None and known != digest.hexdigest():
                raise FileProblem(source, f"{row.filename}: is another recording than the show was measured with")
        write_show(beside / SHOW_NAME, show)
        os.replace(beside, target)
    except BaseException:
        shutil.rmtree(beside, ignore_errors=True)
        raise
    os.chmod(target, 0o777 & ~umask())
    return target / SHOW_NAME


def _copied(source: Path, row: zipfile.ZipInfo, file: IO[bytes], out: IO[bytes], digest: hashlib._Hash) -> None:
    """A member, never longer than it says."""
    left = row.file_size
    while part := file.read(min(STEP, left + 1)):
        left -= len(part)
        if left < 0:
            raise FileProblem(source, f"is longer than it says at {row.filename[:60]}")
        digest.update(part)
        out.write(part)


def _refuse_takes(source: Path, show: Show, members: set[str]) -> None:
    """A show in an archive names recordings in the archive, or ones that are missing; never a place elsewhere on the disk."""
    for take in show.takes:
        path = PurePosixPath(take.file)
        if take.file in members:
            continue
        if path.is_absolute() or PureWindowsPath(take.file).is_absolute() or ".." in path.parts:
            raise FileProblem(source, f"names a recording outside itself: {take.file[:60]!r}; nothing was unpacked")
