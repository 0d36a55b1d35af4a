"""Secrets that have to be read again: sealed with a key that stands in a file, outside the database and its backups."""

import os
import threading
from collections.abc import Sequence
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from sqlalchemy import Text, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.errors import Invalid, SealBroken
from gradumen.store.columns import Base

SEALS = "seals"
"""Under what a session knows the keys."""
_PROOF = "gradumen"


class SealProofRow(Base):
    """A word sealed with the newest key: who cannot open it has not this database's keys."""

    __tablename__ = "seal_proofs"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    proof: Mapped[str] = mapped_column(Text)


class Seals:
    """The keys of a file, one a line, the newest first; it is read again when it changes.

    What is sealed is authenticated too (AES-128 in CBC mode with HMAC-SHA-256, as the Fernet specification says), so
    that nobody who only writes to the database makes one up.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()
        self._read: tuple[tuple[int, int], MultiFernet] | None = None

    def seal(self, text: str) -> str:
        """A text that only the keys open again."""
        return self._keys().encrypt(text.encode()).decode()

    def open(self, sealed: str) -> str:
        """The text that was sealed.

        Raises:
            SealBroken: none of the keys opens it.
        """
        try:
            return self._keys().decrypt(sealed.encode()).decode()
        except InvalidToken as error:
            raise SealBroken(self.path) from error

    def make(self) -> bool:
        """Make a first key, in a file that only this account reads; False where there is a file."""
        try:
            with os.fdopen(os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
                file.write(Fernet.generate_key() + b"\n")
        except FileExistsError:
            return False
        return True

    def add_key(self) -> None:
        """Put a new key first: what is sealed from now on is sealed with it."""
        self._write([Fernet.generate_key().decode(), *self._lines()])

    def keep(self, most: int) -> None:
        """Drop all keys but the newest so many."""
        self._write(self._lines()[:most])

    def _write(self, keys: Sequence[str]) -> None:
        part = self.path.with_name(self.path.name + ".new")
        part.unlink(missing_ok=True)
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write("\n".join(keys) + "\n")
            file.flush()
            os.fsync(file.fileno())
        part.replace(self.path)

    def _lines(self) -> list[str]:
        try:
            return [line.strip() for line in self.path.read_text().splitlines() if line.strip()]
        except OSError as error:
            raise SealBroken(f"{self.path} ({error.strerror})") from error

    def _keys(self) -> MultiFernet:
        try:
            found = self.path.stat()
        except OSError as error:
            raise SealBroken(f"{self.path} ({error.strerror})") from error
        state = (found.st_mtime_ns, found.st_ino)
        with self._lock:
            if self._read is None or self._read[0] != state:
                try:
                    self._read = (state, MultiFernet([Fernet(line) for line in self._lines()]))
                except ValueError as error:
                    raise Invalid(
                        f"{self.path} is no file of keys: each line has one of 32 bytes in base64",
                        field="GRADUMEN_SEALING_KEYS",
                    ) from error
            return self._read[1]


def seals_of(tx: Session) -> Seals:
    """The keys that a session has."""
    found: Seals | None = tx.info.get(SEALS)
    if found is None:
        raise SealBroken("this process: it was given no keys")
    return found


def prove(tx: Session) -> None:
    """Check that the keys are those of this database; the first time they become so, and a file of them is made.

    Raises:
        SealBroken: they are those of another database, or their file is gone.
    """
    seals = seals_of(tx)
    row = tx.scalars(select(SealProofRow).with_for_update()).first()
    if row is None:
        seals.make()
        tx.add(SealProofRow(id=1, proof=seals.seal(_PROOF)))
        tx.flush()
    else:
        seals.open(row.proof)


def prove_anew(tx: Session) -> None:
    """The keys at hand are those of this database from now on."""
    seals = seals_of(tx)
    seals.make()
    tx.merge(SealProofRow(id=1, proof=seals.seal(_PROOF)))
