"""A backup under a passphrase: a key made of it by scrypt (RFC 7914 [published]), the content in pieces, each sealed by
Fernet (AES-128-CBC with HMAC-SHA256, of the ``cryptography`` package). A piece carries its number and whether it is the
last, so that none can be left out, doubled or moved unseen."""

from __future__ import annotations

import base64
import secrets
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

MAGIC = b"gumshoe sealed backup 1\n"
SALT, PIECE = 16, 1 << 20
COST, BLOCK = 2**15, 8
"""What trying one passphrase costs: 32 MiB and a tenth of a second."""


class CannotBeOpened(ValueError):
    """The passphrase is another, or the file is not what was sealed."""


def is_sealed(path: Path) -> bool:
    """Whether a file is a sealed backup."""
    with path.open("rb") as file:
        return file.read(len(MAGIC)) == MAGIC


def seal(source: BinaryIO, target: BinaryIO, passphrase: str) -> None:
    """Write everything of the source, sealed."""
    salt = secrets.token_bytes(SALT)
    box = _box(passphrase, salt)
    target.write(MAGIC + salt)
    for number, (piece, last) in enumerate(_pieces(source)):
        token = box.encrypt(number.to_bytes(8, "big") + bytes([last]) + piece)
        target.write(len(token).to_bytes(4, "big") + token)


def unseal(source: BinaryIO, target: BinaryIO, passphrase: str) -> None:
    """Write what was sealed. Raises CannotBeOpened."""
    if source.read(len(MAGIC)) != MAGIC:
        raise CannotBeOpened("This is not a sealed backup.")
    box, number, last = _box(passphrase, source.read(SALT)), 0, False
    while not last:
        token = source.read(int.from_bytes(source.read(4), "big"))
        try:
            told = box.decrypt(token)
        except InvalidToken as error:
            why = "The passphrase is another" if number == 0 else f"It is damaged after {number} MB"
            raise CannotBeOpened(f"{why}, or the file is not whole.") from error
        if int.from_bytes(told[:8], "big") != number:
            raise CannotBeOpened(f"It is damaged after {number} MB: a piece is missing or moved.")
        target.write(told[9:])
        number, last = number + 1, bool(told[8])
    if source.read(1):
        raise CannotBeOpened("Something was added behind its end.")


def _box(passphrase: str, salt: bytes) -> Fernet:
    key = Scrypt(salt=salt, length=32, n=COST, r=BLOCK, p=1).derive(passphrase.encode())
    return Fernet(base64.urlsafe_b64encode(key))


def _pieces(source: BinaryIO) -> Iterator[tuple[bytes, bool]]:
    held = source.read(PIECE)
    while True:
        following = source.read(PIECE)
        yield held, not following
        if not following:
            return
        held = following
