"""Make the shipped fonts from the npm package @fontsource/atkinson-hyperlegible-next.

Usage: python packaging/fonts.py PACKAGE_FOLDER
The tabular figures (OpenType feature ``tnum``) become the default digits, since the PDF writer
applies no OpenType features; the family is renamed as the Open Font Licence asks of changed fonts.
"""

import sys
from pathlib import Path

from fontTools.ttLib import TTFont

OUT = Path(__file__).resolve().parents[1] / "src/bibulon/assets/fonts"
WEIGHTS = {400: "Regular", 600: "SemiBold", 700: "Bold"}


def main(package: Path) -> None:
    """Write one TTF a weight into the package's fonts folder."""
    for weight, style in WEIGHTS.items():
        name = f"atkinson-hyperlegible-next-latin-{weight}-normal.woff2"
        font = TTFont(package / "files" / name)
        for table in font["cmap"].tables:
            for code, glyph in list(table.cmap.items()):
                if f"{glyph}.tf" in font.getReverseGlyphMap():
                    table.cmap[code] = f"{glyph}.tf"
        for record in font["name"].names:
            text = {
                1: "Bibulon Figures" if style in {"Regular", "Bold"} else f"Bibulon Figures {style}",
                2: style if style in {"Regular", "Bold"} else "Regular",
                4: f"Bibulon Figures {style}",
                6: f"BibulonFigures-{style}",
                16: "Bibulon Figures",
                17: style,
            }.get(record.nameID)
            if text:
                record.string = text
        font["name"].setName("Bibulon Figures", 16, 3, 1, 0x409)
        font["name"].setName(style, 17, 3, 1, 0x409)
        font.flavor = None
        font.save(OUT / f"BibulonFigures-{style}.ttf")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
