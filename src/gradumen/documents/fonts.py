"""The typeface of documents: Latin, Greek and Cyrillic, embedded; and what is said of letters that it lacks."""

from functools import cache
from pathlib import Path

from reportlab import rl_config
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

from gradumen.core.errors import Conflict, GradumenError

BODY, STRONG = "Body", "Strong"
_FILES = {BODY: "LiberationSans-Regular.ttf", STRONG: "LiberationSans-Bold.ttf"}
_FOLDERS = ("/usr/share/fonts/truetype/liberation2", "/usr/share/fonts/truetype/liberation")


class FontMissing(GradumenError):
    """The typeface is not installed."""

    code = "font_missing"


class NotPrintable(Conflict):
    """A text has letters that the typeface of documents lacks."""

    code = "not_printable"


@cache
def load_fonts() -> frozenset[int]:
    """Make the typeface known to the writer of PDFs; gives the code points that it has.

    Raises:
        FontMissing: its files are not where Debian installs them.
    """
    folder = next((each for each in map(Path, _FOLDERS) if (each / _FILES[BODY]).exists()), None)
    if folder is None:
        raise FontMissing("no typeface for documents; run scripts/setup, or: apt-get install fonts-liberation2")
    fonts = {name: TTFont(name, str(folder / file)) for name, file in _FILES.items()}
    for font in fonts.values():
        pdfmetrics.registerFont(font)
    rl_config.useA85 = 0  # Its text form of what is packed is longer and slow to make.
    pdfmetrics.registerFontFamily(BODY, normal=BODY, bold=STRONG, italic=BODY, boldItalic=STRONG)
    return frozenset.intersection(*(frozenset(font.face.charToGlyph) for font in fonts.values()))


def is_printable(text: str) -> bool:
    """Whether the typeface has every letter of a text."""
    return not _lacking(text)


def _lacking(text: str) -> list[str]:
    known = load_fonts()
    return sorted({letter for letter in text if ord(letter) not in known})


def check_printable(*texts: str) -> None:
    """Check that every letter can be printed, so that no document goes out with boxes in it.

    Raises:
        NotPrintable: names the text and the letters.
    """
    for text in texts:
        lacking = _lacking(text)
        if lacking:
            shown = " ".join(lacking[:10])
            raise NotPrintable(
                f"'{text[:80]}' has letters that documents cannot print ({shown}): they have Latin, Greek and Cyrillic "
                "ones; the document itself and its lines can be read and exported meanwhile",
                letters=lacking[:10],
            )
