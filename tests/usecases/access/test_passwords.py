"""How passwords are kept."""

from tests.conftest import OWN_HASHER


def test_passwords_are_hashed_with_as_much_work_as_is_advised() -> None:
    """Argon2id of 19 MiB and two passes: what an attacker pays for each guess."""
    stored = OWN_HASHER.hash("over-the-fell-and-far")

    assert stored.startswith("$argon2id$v=19$m=19456,t=2,p=1$")
    assert OWN_HASHER.verify(stored, "over-the-fell-and-far")
