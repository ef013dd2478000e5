"""Recordings that were cut short: by a full disk, a pulled stick, a crash. Told from what their headers promise.

libsndfile measures what is there and says nothing; a level of half a take would pass for that of the whole.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from kymaphon.files.errors import FileProblem, told_of

UNKNOWN_32 = (0, 0xFFFFFFFF)
"""Lengths that writers leave while a file is still being written, or that stand elsewhere."""
W64_RIFF = bytes.fromhex("726966662e91cf11a5d628db04c10000")
W64_DATA = bytes.fromhex("64617461f3acd3118cd100c04f8edb8a")
W64_FMT = bytes.fromhex("666d7420f3acd3118cd100c04f8edb8a")
EXTENSIBLE = 0xFFFE
SURROUND_MASKS = (0x3F, 0x60F)
"""Loudspeaker positions of 5.1 in a WAVE_FORMAT_EXTENSIBLE header: with back or with side surrounds."""
MOST_TAIL = 1 << 17
"""Bytes at the end of an Ogg file in which its last page begins: a page is at most 65,307 bytes long."""


def refuse_cut_short(path: Path) -> None:
    """Raises FileProblem where a recording holds less than its header promises, or is gone; files of other sorts pass."""
    with told_of(path), path.open("rb") as file:
        size = os.fstat(file.fileno()).st_size
        head = file.read(40)
        check = _sort_of(head)
        if check is not None:
            file.seek(0)
            check(path, file, size)


def wave_layout(path: Path, channels: int) -> str | None:
    """`5.1` where a WAV says that its six channels are; else None. Raises FileProblem where it is gone."""
    if channels != 6:
        return None
    with told_of(path), path.open("rb") as file:
        head = file.read(12)
        if head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
            return None
        while len(chunk := file.read(8)) == 8:
            length = struct.unpack("<I", chunk[4:])[0]
            if chunk[:4] == b"fmt ":
                row = file.read(min(length, 40))
                if len(row) >= 24 and struct.unpack("<H", row[:2])[0] == EXTENSIBLE:
                    mask = struct.unpack("<I", row[20:24])[0]
                    return "5.1" if mask in SURROUND_MASKS else None
                return None
            file.seek(length + (length & 1), 1)
    return None


def _sort_of(head: bytes) -> Callable[[Path, BinaryIO, int], None] | None:
    if head[:4] in (b"RIFF", b"RF64", b"BW64") and head[8:12] == b"WAVE":
        return _wave
    if head[:16] == W64_RIFF:
        return _w64
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return _aiff
    if head[:4] == b"OggS":
        return _ogg
    if head[:3] == b"ID3" or (len(head) > 2 and head[0] == 0xFF and head[1] & 0xE6 == 0xE2):
        return _mp3
    return None


def _cut(path: Path, start: int, promised: int, held: int, per_second: float) -> FileProblem:
    text = f"is cut short: its header promises {promised} bytes of audio and it holds {max(held, 0)}"
    if per_second:
        text = f"is cut short: {promised / per_second:.1f} s promised, {max(held, 0) / per_second:.1f} s there"
    return FileProblem(path, text + "; kymaphon take --partial measures what is there", f"byte {start}")


def _wave(path: Path, file: BinaryIO, size: int) -> None:
    """RIFF, and RF64 or BW64, whose `ds64` has the lengths that 32 bits cannot hold (EBU Tech 3306, ITU-R BS.2088)."""
    file.seek(12)
    per_second, long_data = 0, None
    while True:
        chunk = file.read(8)
        if len(chunk) < 8:
            raise FileProblem(path, "is cut short: a WAV without its audio", f"byte {file.tell()}")
        name, length = chunk[:4], struct.unpack("<I", chunk[4:])[0]
        start = file.tell()
        if name == b"fmt " and length >= 16:
            row = file.read(16)
            if len(row) < 16:
                raise FileProblem(path, "is cut short in its header", f"byte {start}")
            per_second = struct.unpack("<HHIIHH", row)[3]
        if name == b"ds64" and length >= 24:
            row = file.read(24)
            if len(row) < 24:
                raise FileProblem(path, "is cut short in its header", f"byte {start}")
            long_data = struct.unpack("<QQQ", row)[1]
        if name == b"data":
            promised = long_data if length == 0xFFFFFFFF and long_data else length
            if promised not in UNKNOWN_32 and start + promised > size:
                raise _cut(path, start, promised, size - start, per_second)
            return
        file.seek(start + length + (length & 1))


def _w64(path: Path, file: BinaryIO, size: int) -> None:
    """RIFF with 64-bit lengths: chunks are named by 16 bytes, their 64-bit length counts the header and is filled to eight."""
    file.seek(40)
    per_second = 0
    while True:
        chunk = file.read(24)
        if len(chunk) < 24:
            raise FileProblem(path, "is cut short: a W64 without its audio", f"byte {file.tell()}")
        name, length = chunk[:16], struct.unpack("<Q", chunk[16:])[0]
        start = file.tell()
        if name == W64_FMT:
            row = file.read(16)
            if len(row) == 16:
                per_second = struct.unpack("<HHIIHH", row)[3]
        if name == W64_DATA:
            if start + length - 24 > size:
                raise _cut(path, start, length - 24, size - start, per_second)
            return
        if length < 24:
            raise FileProblem(path, "has a chunk without a length", f"byte {start}")
        file.seek(start + ((length - 24 + 7) // 8) * 8)


def _aiff(path: Path, file: BinaryIO, size: int) -> None:
    file.seek(12)
    while True:
        chunk = file.read(8)
        if len(chunk) < 8:
            raise FileProblem(path, "is cut short: an AIFF without its audio", f"byte {file.tell()}")
        name, length = chunk[:4], struct.unpack(">I", chunk[4:])[0]
        start = file.tell()
        if name == b"SSND":
            if start + length > size:
                raise _cut(path, start, length, size - start, 0)
            return
        file.seek(start + length + (length & 1))


def _ogg(path: Path, file: BinaryIO, size: int) -> None:
    """The last page is whole and says that it is the last (RFC 3533: bit 4 of its flags); Vorbis, Opus and FLAC alike."""
    begin = max(0, size - MOST_TAIL)
    file.seek(begin)
    tail = file.read()
    at = tail.rfind(b"OggS")
    while at >= 0 and (len(tail) - at < 27 or tail[at + 4] != 0):
        at = tail.rfind(b"OggS", 0, at)
    text = "is cut short: its last page is missing; kymaphon take --partial measures what is there"
    if at < 0:
        raise FileProblem(path, text)
    segments = tail[at + 26]
    table = tail[at + 27 : at + 27 + segments]
    if len(table) < segments or at + 27 + segments + sum(table) > len(tail) or not tail[at + 5] & 4:
        raise FileProblem(path, text, f"byte {begin + at}")


_RATES = ((11025, 12000, 8000), (0, 0, 0), (22050, 24000, 16000), (44100, 48000, 32000))
_KBITS = {
    (True, 1): (0, 32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448),
    (True, 2): (0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384),
    (True, 3): (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320),
    (False, 1): (0, 32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256),
    (False, 2): (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
    (False, 3): (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
}


def mp3_frame(head: bytes) -> tuple[int, int, bool] | None:
    """Length in bytes, samples, and whether it is MPEG-1, of an MPEG audio frame by its header (ISO/IEC 11172-3, 13818-3);
    None where four bytes are no header.
    """
    if len(head) < 4 or head[0] != 0xFF or head[1] & 0xE0 != 0xE0:
        return None
    version, layer = (head[1] >> 3) & 3, 4 - ((head[1] >> 1) & 3)
    bits, rate = head[2] >> 4, (head[2] >> 2) & 3
    if version == 1 or layer == 4 or bits in (0, 15) or rate == 3:
        return None
    first, hertz = version == 3, _RATES[version][rate]
    kbits, padding = _KBITS[first, layer][bits], (head[2] >> 1) & 1
    samples = 384 if layer == 1 else 1152 if layer == 2 or first else 576
    slot = 4 if layer == 1 else 1
    return (samples // 8 * kbits * 1000 // (hertz * slot) + padding) * slot, samples, first


def _mp3(path: Path, file: BinaryIO, size: int) -> None:
    """Its first frame may say how many bytes or frames there are; else the last frame has to be whole."""
    head = file.read(10)
    at = 0
    if head[:3] == b"ID3" and len(head) == 10:
        at = 10 + (head[6] << 21 | head[7] << 14 | head[8] << 7 | head[9]) + (10 if head[5] & 0x10 else 0)
    file.seek(at)
    data = file.read()
    frame = mp3_frame(data[:4])
    if frame is None:
        return
    text = "is cut short{}; kymaphon take --partial measures what is there"
    for mark in (b"Xing", b"Info"):
        place = data.find(mark, 0, min(frame[0], 64))
        if place >= 0 and len(data) > place + 16:
            flags, _, length = struct.unpack(">III", data[place + 4 : place + 16])
            if flags & 3 == 3 and length > len(data) + 128:
                told = f": {length} bytes promised, {len(data)} there"
                raise FileProblem(path, text.format(told), f"byte {at}")
    place = 0
    while place < len(data):
        frame = mp3_frame(data[place : place + 4])
        if frame is None:
            return
        if place + frame[0] > len(data):
            raise FileProblem(path, text.format(": its last frame is not whole"), f"byte {at + place}")
        place += frame[0]
