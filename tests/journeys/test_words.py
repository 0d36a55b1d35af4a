"""Words, forms and figures that were replaced by our own come back nowhere that anybody reads."""

import json
import re
from pathlib import Path

import pytest

from gradumen.cli.main import make_parser
from gradumen.wire.catalogue.forms.schema import catalogue_schema

ROOT = Path(__file__).parents[2]
READ = ("src/gradumen", "console/src", "docs", "examples", "README.md", "CHANGELOG.md")
ENDINGS = {".py", ".yaml", ".ts", ".tsx", ".md", ".json"}
MIGRATIONS = "src/gradumen/store/migrations/"
RENAMES = "src/gradumen/wire/catalogue/forms/base.py"
STORED = "src/gradumen/usecases/billing/stored_lines.py"
REFUSED = "docs/formats.md"
"""Examples of what is refused."""
# What an action was called when it was recorded stays.

REPLACED: dict[str, tuple[str, ...]] = {
    r"graduated": (STORED,),
    r"whole[-_]quantity": (STORED, RENAMES, MIGRATIONS),
    r"\bup-to\b": (RENAMES, MIGRATIONS, REFUSED),
    r"['\"]?\bpackage['\"]?: *[\[{]": (REFUSED,),
    r"['\"]packages?['\"]": (RENAMES, STORED, MIGRATIONS),
    r"phases: \[(held|running|working)": (),
    r"held, running, working": (),
    r"(prefix|contains): *['\"]?(win|linux)": (),
    r"Protected data": (),
    r"\bto: *['\"]?(10|100|1000|10000)\b": (),
    r"\bof: *['\"]?(10|100|1000|10000)\b": (),
    r"egress: 100 GiB": (),
    r"['\"][A-Z]+-100['\"]": (),
    r"Europe/Amsterdam|\"NL\"": (),
    r"[Dd]eviat": (MIGRATIONS,),
    r"[Cc]atalogue[-_ ][Dd]rafts?": (MIGRATIONS, "src/gradumen/store/catalogue/tables.py"),
    r"[Dd]rafts? of the catalogue": (MIGRATIONS,),
    r"own terms": ("src/gradumen/usecases/subscriptions/subscription_changes.py", "console/src/access/RecordPage.tsx"),
    r"(has|have|none|is) given on\b|GIVEN ON": (),
    r"[Ff]irst day (that it does )?not cover|[Uu]ntil, not included": (),
    r"Of them counts|One piece is a|Looked at as number|Say what falls|none is all": (),
    r"What is (earned|being written|not as the catalogue)|title: '(Earned|Deviations|Margins)'": (),
    r"X-CSRF-Token of this session": (),
    r"\d+ (processors|storage) asked": (),
}
"""Each pattern with the places where it may stand: what reads, refuses or rewrites the forms of before."""


def texts() -> list[tuple[str, str]]:
    """Everything that somebody reads: code with its messages, console, documents, help, description, schema."""
    found = []
    for each in READ:
        path = ROOT / each
        for file in [path] if path.is_file() else sorted(path.rglob("*")):
            if file.suffix in ENDINGS and ".test" not in file.name and file.name != "schema.d.ts":
                found.append((str(file.relative_to(ROOT)), file.read_text()))
    parser = make_parser()
    found.append(("the command line's help", parser.format_help()))
    found.append(("the schema of catalogue files", json.dumps(catalogue_schema())))
    return found


TEXTS = texts()


@pytest.mark.parametrize("pattern", REPLACED)
def test_what_was_replaced_comes_back_nowhere(pattern: str) -> None:
    found = [
        f"{name}:{number}: {line.strip()[:120]}"
        for name, text in TEXTS
        if not name.startswith(REPLACED[pattern])
        for number, line in enumerate(text.splitlines(), 1)
        if re.search(pattern, line)
    ]
    assert found == []


@pytest.mark.parametrize(
    ("pattern", "allowed"), [(each, place) for each, places in REPLACED.items() for place in places]
)
def test_every_allowed_place_is_needed(pattern: str, allowed: str) -> None:
    assert any(name.startswith(allowed) and re.search(pattern, text) for name, text in TEXTS), "take it off the list"
