"""Documents say what is so: the reference is current, examples run, links and pictures are there."""

import doctest
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
PAGES = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")])


def test_the_reference_is_current() -> None:
    done = subprocess.run(
        [sys.executable, "scripts/reference.py", "--check"], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr


def test_the_worked_examples_of_rating_come_out_as_written() -> None:
    failed, tried = doctest.testfile(str(ROOT / "docs" / "rating.md"), module_relative=False)
    assert (failed, tried > 5) == (0, True)


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_and_pictures_are_there(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)", page.read_text()):
        if not target.startswith("http"):
            assert (page.parent / target).exists(), target


def test_every_picture_is_shown_and_there_are_fewer_than_twenty() -> None:
    pictures = list((ROOT / "docs" / "screenshots").glob("*.png"))
    shown = "".join(page.read_text() for page in PAGES)
    assert 0 < len(pictures) < 20
    assert [picture.name for picture in pictures if picture.name not in shown] == []
