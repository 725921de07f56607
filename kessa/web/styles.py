"""Bulma as far as the pages use it: a tenth of it, made from the vendored whole by `manage.py write_styles`."""

import re
from collections.abc import Iterator
from pathlib import Path

import crispy_bulma
from django.conf import settings

SOURCE = Path(settings.ROOT) / "kessa/web/sources/bulma/bulma-no-dark-mode.min.css"
WRITTEN = Path(settings.ROOT) / "kessa/pages/base/bulma.css"
_OURS = Path(settings.ROOT) / "kessa"
# Where a class may be named, and how: in a page, in a script, where Python writes attributes.
_PLACES = {
    "*.html": r'class="([^"]*)"',
    "*.js": r"[\"'`]([^\"'`]*)[\"'`]",
    "*.py": r'"?class(?:_\w+)?"?\]?\s*[=:]+\s*"([^"]*)"',
}
_COMMENT = re.compile(r"/\*.*?\*/", re.DOTALL)
_WORD = re.compile(r"[A-Za-z][\w-]*")
_CLASS = re.compile(r"\.((?:[\w-]|\\.)+)")
_VARIABLE = re.compile(r"var\((--[\w-]+)")


def used_styles() -> str:
    """Return the rules whose classes are all named somewhere, with the variables that these and our own styles use."""
    words = _words()
    rules = [
        (around, kept, given)
        for around, selectors, given in _rules(_COMMENT.sub("", SOURCE.read_text()))
        if (kept := _kept(selectors, words))
    ]
    needed = _needed([given for _, _, given in rules])
    written: list[str] = []
    inside = ""
    for around, selectors, given in rules:
        left = _left(selectors, given, needed)
        if not left:
            continue
        if around != inside:
            written.append(("}" if inside else "") + (f"{around}{{" if around else ""))
            inside = around
        written.append(f"{selectors}{{{left}}}")
    licence = "/* bulma 1.0.4, MIT, the rules that are used: see kessa/web/sources/bulma */\n"
    return f"{licence}{''.join(written)}{'}' if inside else ''}\n"


def _words() -> set[str]:
    words: set[str] = set()
    # What draws the forms is a library of its own.
    for root in (_OURS, Path(crispy_bulma.__file__).parent):
        for pattern, named in _PLACES.items():
            for path in (each for each in root.rglob(pattern) if "vendor" not in each.parts):
                for given in re.findall(named, path.read_text()):
                    words.update(_WORD.findall(given))
    return words


def _rules(text: str, around: str = "") -> Iterator[tuple[str, str, str]]:
    """Return each rule: what it stands in (a media query), its selectors, and what it says."""
    at = 0
    while (opens := text.find("{", at)) >= 0:
        depth, closes = 1, opens + 1
        while depth:
            depth += {"{": 1, "}": -1}.get(text[closes], 0)
            closes += 1
        head, body = text[at:opens].rpartition(";")[2].strip(), text[opens + 1 : closes - 1]
        if head.startswith(("@media", "@supports", "@container")):
            yield from _rules(body, head)
        else:
            yield around, head, body
        at = closes


def _kept(selectors: str, words: set[str]) -> str:
    """Return those selectors whose classes are all used; of what is no rule of a class, all."""
    if selectors.startswith("@"):
        return selectors
    alternatives = re.split(r",(?![^(]*\))", selectors)
    return ",".join(each for each in alternatives if set(_CLASS.findall(re.sub(r":not\([^)]*\)", "", each))) <= words)


def _left(selectors: str, words: str, needed: set[str]) -> str:
    """Return what a rule says without the variables that nobody needs."""
    if selectors.startswith("@"):
        return words
    declared = _declarations(words)
    return ";".join(each for each in declared if not each.startswith("--") or each.partition(":")[0] in needed)


def _declarations(words: str) -> list[str]:
    return [each for each in re.split(r";(?![^(]*\))", words) if each.strip()]


def _needed(given: list[str]) -> set[str]:
    """Return the variables that are used, by the rules that are kept, by our own styles, and by variables of these."""
    valued: dict[str, set[str]] = {}
    needed: set[str] = set()
    for each in (declaration for rule in given for declaration in _declarations(rule)):
        name, _, value = each.partition(":")
        uses = set(_VARIABLE.findall(value))
        if name.startswith("--"):
            valued.setdefault(name, set()).update(uses)
        else:
            needed |= uses
    for path in _OURS.rglob("*.css"):
        if path not in (WRITTEN, SOURCE):
            needed |= set(_VARIABLE.findall(path.read_text()))
    open_names = list(needed)
    while open_names:
        fresh = valued.get(open_names.pop(), set()) - needed
        needed |= fresh
        open_names += fresh
    return needed
