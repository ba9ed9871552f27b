"""Archives are read by Python's own `zipfile`, and what is aligned begins at a multiple of 4."""

from io import BytesIO
from zipfile import ZipFile

from hotgravel.core.run.stored_zip import Member, write_stored


def test_zipfile_reads_what_is_written():
    members = [Member("a.json", b"{}"), Member("smoke/größe", b"abcdefg", aligned=True), Member("none", b"")]
    members += [Member(f"many/{n}", bytes(range(n % 256)), aligned=n % 3 == 0) for n in range(70_000)]
    file = BytesIO()
    write_stored(file, members)
    with ZipFile(file) as archive:
        assert archive.namelist() == [member.name for member in members]
        assert archive.testzip() is None
        assert all(archive.read(member.name) == member.data for member in members[::1000])
        for n, entry in enumerate(archive.infolist()):
            name = entry.orig_filename.encode()
            extra = int.from_bytes(file.getbuffer()[entry.header_offset + 28 : entry.header_offset + 30], "little")
            assert not members[n].aligned or (entry.header_offset + 30 + len(name) + extra) % 4 == 0
