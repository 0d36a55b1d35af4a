"""Settings: the environment, what goes before it, and what is said of a wrong one."""

from pathlib import Path

import pytest

from gradumen.core.errors import Invalid
from gradumen.settings import Settings


def test_what_is_given_goes_before_the_environment_and_that_before_the_default(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GRADUMEN_PORT", "9000")
    monkeypatch.setenv("GRADUMEN_SECURE_COOKIES", "true")
    monkeypatch.setenv("GRADUMEN_HOST", "10.0.0.1")
    read = Settings.read(host="10.0.0.2", port=None, console=Path("there"))
    assert (read.host, read.port, read.secure_cookies, read.console) == ("10.0.0.2", 9000, True, Path("there"))
    assert read.session_hours == 12


@pytest.mark.parametrize(
    ("variable", "value"),
    [
        ("GRADUMEN_PORT", "web"),
        ("GRADUMEN_PORT", "70000"),
        ("GRADUMEN_API_PROCESSES", "0"),
        ("GRADUMEN_SECURE_COOKIES", "perhaps"),
        ("GRADUMEN_BODY_SECONDS", "1.5"),
    ],
)
def test_a_wrong_setting_is_named_with_its_value(variable: str, value: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(variable, value)
    with pytest.raises(Invalid, match=f"{variable} is '{value}'"):
        Settings.read()


def test_settings_do_not_change() -> None:
    with pytest.raises(ValueError, match="frozen"):
        Settings().port = 1  # type: ignore[misc]  # which is what is tried
