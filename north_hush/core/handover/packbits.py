"""PackBits, a run-length code for bytes (TIFF 6.0, section 9), as active cells are packed."""

from __future__ import annotations

from north_hush.core.errors import SiteError
from north_hush.core.words import tr

_LONGEST = 128


def packed(data: bytes) -> bytes:
    """Bytes with their runs shortened."""
    made, place = bytearray(), 0
    literal = bytearray()

    def flush() -> None:
        for start in range(0, len(literal), _LONGEST):
            part = literal[start : start + _LONGEST]
            made.append(len(part) - 1)
            made.extend(part)
        literal.clear()

    while place < len(data):
        end = place
        while end < len(data) and data[end] == data[place] and end - place < _LONGEST:
            end += 1
        if end - place > 1:
            flush()
            made.append(257 - (end - place))
            made.append(data[place])
        else:
            literal.append(data[place])
        place = end
    flush()
    return bytes(made)


def unpacked(data: bytes, most: int) -> bytes:
    """What was packed, of `most` bytes at most.

    Raises
    ------
    SiteError : it is cut off, or longer than that.
    """
    made, place = bytearray(), 0
    while place < len(data):
        count = data[place]
        place += 1
        if count < 128:
            part = data[place : place + count + 1]
            if len(part) < count + 1:
                raise SiteError(tr("active cells"), tr("are cut off."), tr("Get the file anew."))
            made += part
            place += count + 1
        elif count > 128:
            if place >= len(data):
                raise SiteError(tr("active cells"), tr("are cut off."), tr("Get the file anew."))
            made += bytes([data[place]]) * (257 - count)
            place += 1
        if len(made) > most:
            raise SiteError(
                tr("active cells"),
                tr("are more than the {most} bytes of their layout.", most=most),
                tr("Get the file anew."),
            )
    return bytes(made)
