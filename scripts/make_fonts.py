"""Make the fonts of the work sheet anew, from the web fonts that the front end ships: their subsets put together again.

``python scripts/make_fonts.py``; needs ``frontend/node_modules``. IBM Plex is under the SIL Open Font License.
"""

import tempfile
from pathlib import Path

from fontTools.merge import Merger, Options
from fontTools.ttLib import TTFont

ROOT = Path(__file__).parents[1]
WEB = ROOT / "frontend" / "node_modules" / "@fontsource"
MADE = ROOT / "src" / "ylemorph" / "formats" / "fonts"
FONTS = {"sans": ("ibm-plex-sans", 400), "sans-bold": ("ibm-plex-sans", 600), "mono": ("ibm-plex-mono", 400)}
SUBSETS = ("latin", "latin-ext", "cyrillic", "greek")


def main() -> None:
    MADE.mkdir(exist_ok=True)
    for name, (family, weight) in FONTS.items():
        with tempfile.TemporaryDirectory() as folder:
            parts = []
            for subset in SUBSETS:
                web = WEB / family / "files" / f"{family}-{subset}-{weight}-normal.woff"
                if web.exists():
                    font = TTFont(web)
                    font.flavor = None
                    for table in ("GSUB", "GPOS", "GDEF"):  # the sheet sets plain lines
                        if table in font:
                            del font[table]
                    parts.append(str(Path(folder) / f"{subset}.ttf"))
                    font.save(parts[-1])
            merged = Merger(options=Options(drop_tables=["vmtx", "vhea", "MATH"])).merge(parts)
            merged.save(MADE / f"{name}.ttf")
    (MADE / "LICENSE").write_text((WEB / "ibm-plex-sans" / "LICENSE").read_text())


if __name__ == "__main__":
    main()
