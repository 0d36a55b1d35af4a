"""Files in any shape on the command line: guessed, mapped, looked at, sent and taken back."""

import json
from pathlib import Path

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import World

__all__ = ["profiles", "terminal"]

FEED = "tarnwick/north-fell"
ROWS = "Line;Day;Sent\nIOM-1;01/09/2026;12,5\nIOM-1;02/09/2026;9,25\n"


def test_a_file_is_mapped_from_what_is_guessed_sent_and_taken_back(
    terminal: Terminal, world: World, tmp_path: Path
) -> None:
    file, mapping = tmp_path / "lines.csv", tmp_path / "mapping.yaml"
    file.write_text(ROWS)
    guessed = terminal("deliveries", "look", str(file), "--feed", FEED)
    assert "# 2 rows with the columns Line, Day, Sent" in guessed
    assert "may be written day first or month first" in guessed and "lasts: day" in guessed
    said = guessed.split("a mapping to begin with")[0]
    for large, stands in (("quantity:\n    column: COLUMN", "quantity:\n    column: Sent"),
                          ("text: SERVICE/METER", "text: network/egress"), ("text: UNIT", "text: GB"),
                          ("resource:\n  column: COLUMN", "resource:\n  column: Line"),
                          ("identity:\n- Day", "identity:\n- Line\n- Day")):  # fmt: skip
        assert large in said, said
        said = said.replace(large, stands)
    mapping.write_text(said + "decimal: ','\nowner: {text: saltmarsh/booking}\n")
    assert "nobody has said yet" in terminal("deliveries", "send", str(file), "--feed", FEED, exit=1)
    looked = terminal("deliveries", "look", str(file), "--feed", FEED, "--mapping", str(mapping))
    assert "2 rows would give 2 readings; 0 lines cannot be read" in looked and "9.25" in looked
    shown = terminal("deliveries", "mapping", FEED, "--set", str(mapping))
    assert "# version 1" in shown and "text: network/egress" in shown
    assert terminal("deliveries", "mapping", FEED) == shown

    assert "2 accepted, 0 already known, 0 refused" in terminal("deliveries", "send", str(file), "--feed", FEED)
    assert "was here already, with 2 readings" in terminal("deliveries", "send", str(file), "--feed", FEED)
    file.write_text(ROWS + "IOM-2;03/09/2026;none\n")
    broken = terminal("deliveries", "send", str(file), "--feed", FEED, exit=1)
    assert "0 accepted, 2 already known, 1 refused" in broken and "line 4: quantity 'none'" in broken
    told = json.loads(terminal("deliveries", "list", FEED, "--json"))
    assert [each["accepted"] for each in told] == [0, 2]
    back = terminal("deliveries", "take-back", told[1]["id"][:8], "--feed", FEED)
    assert "lines.csv is taken back: 2 readings do not count any more" in back
    listed = terminal("deliveries", "list", FEED)
    assert "taken back 20" in listed and f"takes {told[1]['id'][:8]} back" in listed
    world.settle()
    assert not [each for each in world.mara.usage.sum("saltmarsh", "2026-09", wait=60).items if each.quantity]


def test_files_that_cannot_be_read_are_refused_by_name(terminal: Terminal, tmp_path: Path) -> None:
    file, mapping = tmp_path / "lines.csv", tmp_path / "mapping.yaml"
    assert "cannot read" in terminal("deliveries", "look", str(file), "--feed", FEED, exit=1)
    file.write_text("Line;Day;Sent\n")
    assert "has no rows" in terminal("deliveries", "look", str(file), "--feed", FEED, exit=1)
    mapping.write_text("identity: [Line]\n")
    assert "is no mapping" in terminal("deliveries", "mapping", FEED, "--set", str(mapping), exit=1)
