"""Secrets and their keys: only these keys open them, a new key opens what the old one sealed, what is lost is said."""

from pathlib import Path

import pytest

from gradumen.core.errors import Invalid, SealBroken
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.sealing import check_seals, forget_secrets, seal_anew
from tests.conftest import Service


def keys(path: Path) -> Seals:
    made = Seals(path)
    assert made.make() and not made.make()
    return made


def test_only_the_keys_open_what_was_sealed(tmp_path: Path) -> None:
    one, other = keys(tmp_path / "one"), keys(tmp_path / "other")
    sealed = one.seal("süß")
    assert one.open(sealed) == "süß" and "süß" not in sealed
    assert one.seal("süß") != sealed
    for seals, text in ((other, sealed), (one, sealed[:-3] + "abc"), (one, "")):
        with pytest.raises(SealBroken):
            seals.open(text)
    assert (tmp_path / "one").stat().st_mode & 0o777 == 0o600


def test_a_new_key_is_seen_by_who_has_the_file_open_and_old_ones_open_until_dropped(tmp_path: Path) -> None:
    seals, same = keys(tmp_path / "keys"), Seals(tmp_path / "keys")
    before = same.seal("a")
    seals.add_key()
    after = same.seal("b")
    assert (same.open(before), same.open(after)) == ("a", "b")
    seals.keep(1)
    assert same.open(after) == "b"
    with pytest.raises(SealBroken):
        same.open(before)


def test_a_file_of_something_else_is_refused_by_name(tmp_path: Path) -> None:
    (tmp_path / "keys").write_text("not a key\n")
    with pytest.raises(Invalid, match="no file of keys"):
        Seals(tmp_path / "keys").seal("x")
    with pytest.raises(SealBroken, match="No such file"):
        Seals(tmp_path / "gone").seal("x")


def test_a_database_has_its_own_keys_and_what_is_lost_can_be_given_up(service: Service, tmp_path: Path) -> None:
    own = UnitOfWork(service.uow.engine, seals=Seals(tmp_path / "own"))
    check_seals(own)
    check_seals(own)
    other = UnitOfWork(service.uow.engine, seals=keys(tmp_path / "other"))
    gone = UnitOfWork(service.uow.engine, seals=Seals(tmp_path / "gone"))
    for stranger in (other, gone):
        with pytest.raises(SealBroken, match="begin-anew"):
            check_seals(stranger)
    assert not (tmp_path / "gone").exists()
    with pytest.raises(SealBroken):
        seal_anew(other)
    check_seals(own)
    assert forget_secrets(other) == 0
    check_seals(other)
    with pytest.raises(SealBroken):
        check_seals(own)
