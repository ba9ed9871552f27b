"""Zip archives of members that are stored as they stand, written from front to back.

Source: the .ZIP file format specification (APPNOTE 6.3.10), sections 4.3.7 (local headers), 4.3.12 (central directory),
4.3.14 to 4.3.16 (its ends) and 4.5.3 (sizes of 64 bits, which all members have here, so that all are written alike).
A frame has some hundred small members, for each of which `zipfile` holds Python's lock longer than this for all.
"""

import struct
from collections.abc import Iterable
from dataclasses import dataclass
from typing import IO
from zlib import crc32

LOCAL = struct.Struct("<4sHHHHHIIIHH")
CENTRAL = struct.Struct("<4sHHHHHHIIIHHHHHII")
END_64 = struct.Struct("<4sQHHIIQQQQ")
LOCATOR = struct.Struct("<4sIQI")
END = struct.Struct("<4sHHHHIIH")
VERSION, UTF8, STORED = 45, 1 << 11, 0
TIME, DATE = 0, 1 << 5 | 1  # a fixed one, 1980-01-01: the same members are the same bytes
SHORT, LONG = 0xFFFF, 0xFFFFFFFF  # stand where the number is in a field of 64 bits
BITS_64, ALIGNMENT = 1, 0xD935  # kinds of extra fields


@dataclass(frozen=True)
class Member:
    """A file of an archive; one that is aligned has its data begin at a multiple of 4."""

    name: str
    data: bytes
    aligned: bool = False


def write_stored(file: IO[bytes], members: Iterable[Member]) -> None:
    """An archive of members, in their order."""
    start, count, listed = 0, 0, bytearray()
    for member in members:
        name, size, check = member.name.encode(), len(member.data), crc32(member.data)
        extra = struct.pack("<HHQQ", BITS_64, 16, size, size)
        if member.aligned:
            pad = -(start + LOCAL.size + len(name) + len(extra) + 4) % 4
            extra += struct.pack("<HH", ALIGNMENT, pad) + b"\0" * pad
        about = VERSION, UTF8, STORED, TIME, DATE, check, LONG, LONG, len(name)
        file.write(LOCAL.pack(b"PK\3\4", *about, len(extra)) + name + extra)
        file.write(member.data)
        far = struct.pack("<HHQQQ", BITS_64, 24, size, size, start)
        listed += CENTRAL.pack(b"PK\1\2", VERSION, *about, len(far), 0, 0, 0, 0, LONG) + name + far
        start, count = start + LOCAL.size + len(name) + len(extra) + size, count + 1
    file.write(listed)
    counts = count, count, len(listed), start
    file.write(END_64.pack(b"PK\6\6", END_64.size - 12, VERSION, VERSION, 0, 0, *counts))
    file.write(LOCATOR.pack(b"PK\6\7", 0, start + len(listed), 1))
    file.write(END.pack(b"PK\5\6", 0, 0, SHORT, SHORT, LONG, LONG, 0))
