"""Files that commands read."""

from pathlib import Path

from gradumen.core.errors import Invalid
from gradumen.wire.catalogue.catalogue import CatalogueFile


def load(paths: list[Path]) -> list[CatalogueFile]:
    """Read files, and the YAML files of folders."""
    found: list[Path] = []
    for path in paths:
        found += sorted(path.glob("*.y*ml")) if path.is_dir() else [path]
    try:
        return [CatalogueFile(name=str(path), content=path.read_text(encoding="utf-8")) for path in found]
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid(f"cannot read a catalogue file: {error}", field="files") from error
