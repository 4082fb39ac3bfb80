"""A PDF in our letters and colours: what the work sheet and the labels are drawn on. Lengths are millimetres."""

from importlib.resources import as_file, files

from fpdf import FPDF
from fpdf.fonts import TTFFont

from ...core.plain import plain_line

SMALL = 7.6  # size of usual letters in points
INK, MUTED = (35, 38, 45), (108, 106, 100)


class Paper(FPDF):
    """Begins with an empty page. ``size``: a name or width and height."""

    def __init__(self, title: str, size: str | tuple[float, float] = "A4") -> None:
        super().__init__("P", "mm", size)
        self.set_title(title)
        self.set_creator("Ylemorph")
        self.set_auto_page_break(False)
        for family, style, name in (("sans", "", "sans"), ("sans", "B", "sans-bold"), ("mono", "", "mono")):
            with as_file(files(__package__) / "fonts" / f"{name}.ttf") as path:
                self.add_font(family, style, path)
        self.begin()

    def begin(self) -> None:
        self.add_page()

    def font(self, size: float = SMALL, style: str = "", family: str = "sans", *, muted: bool = False) -> None:
        self.set_font(family, style, size)
        self.set_text_color(*(MUTED if muted else INK))

    def known(self, text: str) -> str:
        """Text with what the fonts lack shown as a question mark."""
        font = self.fonts["sans"]
        assert isinstance(font, TTFFont)
        return "".join(c if ord(c) in font.cmap else "?" for c in plain_line(text))

    def fitting(self, text: str, width: float) -> str:
        """As much of one line as ``width`` holds."""
        text = self.known(text)
        if self.get_string_width(text) <= width:
            return text
        while text and self.get_string_width(text + "…") > width:
            text = text[:-1]
        return text + "…"
