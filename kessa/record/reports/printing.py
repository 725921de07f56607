"""From a page of HTML to paper: with Kessa's own fonts and styles, and without asking anything of any other machine."""

import re
from functools import cache
from pathlib import Path
from typing import Any

from django.contrib.staticfiles import finders
from PIL import ImageFile

# A rule about something within a drawing: the class of the drawing, a second one it may have, and the rest.
_WITHIN = re.compile(r"^\.(trend|gauge|verdict|map)(?:\.([\w-]+))? ([.\w][^{]*\{[^}]*\})", re.MULTILINE)
_VARIABLE = re.compile(r"^\s*(--[\w-]+):\s*([^;]+);", re.MULTILINE)


def paper(html: str) -> bytes:
    """Return an HTML document as a PDF."""
    from weasyprint import CSS, HTML  # noqa: PLC0415 # large, and few processes print
    from weasyprint.text.fonts import FontConfiguration  # noqa: PLC0415

    # It lets broken pictures pass for whole ones, everywhere in its process: here none may.
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    fonts, fetcher = FontConfiguration(), _fetcher()
    style = CSS(string=_styles(), font_config=fonts, url_fetcher=fetcher)
    document = HTML(string=_with_drawings(html), url_fetcher=fetcher)
    return bytes(document.write_pdf(stylesheets=[style], font_config=fonts))


@cache
def _styles() -> str:
    """Return the styles of a paper: those of the page it was looked at on, and the paper's own."""
    files = (_served("reports/report.css"), Path(__file__).with_name("paper.css"))
    return "".join(file.read_text(encoding="utf-8") for file in files)


def _served(name: str) -> Path:
    """Return where a file lies that pages are served with; raises ValueError where there is none."""
    found = finders.find(name)
    if not found:
        raise ValueError(f"A report asks for what is not served: {name}")
    return Path(str(found))


def _fetcher() -> Any:
    from weasyprint.urls import URLFetcher, URLFetcherResponse  # noqa: PLC0415

    class Own(URLFetcher):
        """Gives Kessa's own files, by `kessa:` and their path, and nothing else."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            if not url.startswith("kessa:"):
                raise ValueError(f"A report asks for nothing elsewhere: {url}")
            return URLFetcherResponse(url, _served(url.removeprefix("kessa:")).read_bytes())

    return Own()


def _with_drawings(html: str) -> str:
    """Give each drawing the styles that the page's own do not reach on paper."""
    return _DRAWING.sub(lambda found: f"{found[0]}<style>{_drawn_styles(found[1] or '', found[2])}</style>", html)


# A drawing's beginning, and the word's that it is the glyph of.
_DRAWING = re.compile(r'(?:<span class="verdict ([\w-]+)">)?<svg(?=[^>]*?class="([^"]*)"|)[^>]*>')
# In what a verdict is drawn.
_INKS = {"inside": "--bottle", "close": "--amber", "outside": "--perm", "unsettled": "--slate"}


def _drawn_styles(glyph: str, classes: str | None) -> str:
    classed = {"verdict", glyph} if glyph else set((classes or "").split())
    colours, rules = _rules()
    ink = next((colours[_INKS[each]] for each in classed if each in _INKS), "#000")
    drawn = "".join(rule for wanted, rule in rules if wanted <= classed)
    return f"text{{font-family:Body;font-size:12px}}{drawn}".replace("currentcolor", ink)


@cache
def _rules() -> tuple[dict[str, str], list[tuple[set[str], str]]]:
    """Return the colours, and the rules of what is drawn, each with the classes its drawing has to have."""
    files = [_served(f"base/{name}").read_text(encoding="utf-8") for name in ("kessa.css", "charts.css")]
    colours = dict(_VARIABLE.findall(files[0].partition(":root {")[2].partition("}")[0]))
    # A drawing is a document of its own there: what is around it is no ancestor.
    rules = [each for file in files for each in _WITHIN.findall(file)]
    return colours, [
        ({of, which} - {""}, re.sub(r"var\((--[\w-]+)\)", lambda found: colours[found[1]], rule))
        for of, which, rule in rules
    ]
