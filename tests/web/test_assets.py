"""Styles and scripts as they ship: parsed, each declaration by itself, nothing undefined, nothing from outside."""

from __future__ import annotations

import gzip
import re
from pathlib import Path

import pytest
import tinycss2

import zygometra.web
from support.page import read
from zygometra.web import assets
from zygometra.web.assets import ALL_STYLES, STYLES, asset_file

WEB = Path(zygometra.web.__file__).parent
CSS = sorted(p for p in WEB.rglob("*.css") if "vendor" not in p.parts)
JS = sorted(p for p in WEB.rglob("*.js") if "vendor" not in p.parts)
TEMPLATES = sorted(WEB.rglob("*.html"))
IMPORT = re.compile(r'^(?:import|export) (?:.* from )?"([^"]+)";$', re.M)
named = {"ids": lambda path: path.relative_to(WEB).as_posix()}


def rules_of(path):
    """Every rule of a style sheet with its declarations; those inside @media too."""
    waiting = tinycss2.parse_stylesheet(path.read_text(), skip_comments=True, skip_whitespace=True)
    while waiting:
        rule = waiting.pop(0)
        assert rule.type != "error", f"{path.name}: {rule.message}"
        if rule.type == "at-rule" and rule.lower_at_keyword in ("media", "page"):
            waiting += tinycss2.parse_blocks_contents(rule.content, skip_comments=True, skip_whitespace=True)
            continue
        if rule.type in ("qualified-rule", "at-rule"):
            yield (
                rule,
                tinycss2.parse_blocks_contents(rule.content or [], skip_comments=True, skip_whitespace=True),
            )


@pytest.mark.parametrize("path", CSS, **named)
def test_a_style_sheet_parses_and_each_declaration_has_its_line(path):
    lines = []
    for _, declarations in rules_of(path):
        for declaration in declarations:
            assert declaration.type == "declaration", (declaration.source_line, declaration)
            lines.append(declaration.source_line)
    assert len(set(lines)) == len(lines)
    assert lines


@pytest.mark.parametrize("path", CSS, **named)
def test_a_style_sheet_opens_with_what_it_is_for(path):
    assert re.match(r"/\* [A-Z].+", path.read_text())
    assert max(map(len, path.read_text().splitlines())) <= 120


def declared(path):
    return {d.name for _, ds in rules_of(path) for d in ds if d.name.startswith("--")}


def test_every_colour_stands_once_and_every_token_is_defined():
    tokens = asset_file("css/tokens.css")
    own = declared(tokens)
    used = {name for path in CSS for name in re.findall(r"var\((--[\w-]+)", path.read_text())}
    bulma = asset_file("vendor/bulma.min.css").read_text()
    elsewhere = {name for path in CSS if path != tokens for name in declared(path)}
    for name in used - own - elsewhere:
        assert f"{name}:" in bulma, f"{name} is used and defined nowhere"
    for name in own - used:
        assert name.startswith("--bulma"), f"{name} is defined and used nowhere"


def test_the_dark_tokens_stand_once():
    text = asset_file("css/tokens.css").read_text()
    names = re.findall(r"^\s*(--[\w-]+):", text, re.M)
    assert len(names) == len(set(names))
    dark = [name for name in names if re.search(rf"{name}: light-dark\(", text)]
    assert {"--paper", "--ink", "--dye", "--oxide"} <= set(dark)
    for path in CSS:
        if path.name != "tokens.css":
            assert "light-dark(" not in path.read_text(), path.name
            assert "prefers-color-scheme" not in path.read_text(), path.name


def test_what_every_page_is_styled_with_is_sent_as_one_and_read_by_component(shop):
    page = shop.page("/settings")
    links = [e.attrs["href"] for e in page if e.attrs.get("rel") == "stylesheet"]
    assert [link.rsplit("/", 1)[1] for link in links] == ["bulma.min.css", "all.css"]
    sent = shop.html(links[1])
    places = [sent.index(asset_file(f"css/{name}.css").read_text()[:60]) for name in STYLES]
    assert places == sorted(places)
    assert {p.stem for p in CSS if p.parent == WEB / "static/css"} == set(STYLES)
    assert ALL_STYLES.endswith("all.css")


@pytest.mark.parametrize("bench", sorted({p.parts[-3] for p in CSS if p.parts[-2] == "static"} - {"web"}))
def test_a_bench_has_its_styles_beside_its_templates(bench):
    assert (WEB / bench / "templates").is_dir()
    links = [t for t in TEMPLATES if re.search(rf"\b{bench}/\w+\.css", t.read_text())]
    assert links, f"nobody links the styles of {bench}"


@pytest.mark.parametrize("path", JS, **named)
def test_a_module_says_what_it_does_and_imports_only_what_ships(path):
    text = path.read_text()
    assert re.match(r"/\* [A-Z].+\*/\n", text)
    for name in IMPORT.findall(text):
        assert name.startswith(("./", "../js/")), name
        source = WEB / "static/js" / name.rsplit("/", 1)[1]
        assert source.is_file(), name
        wanted = re.search(rf'import \{{ (.*) \}} from "{re.escape(name)}"', text)
        for export in wanted.group(1).split(", ") if wanted else ():
            assert re.search(rf"^export (async )?(function|const) {export}\b", source.read_text(), re.M), (
                export
            )


@pytest.mark.parametrize("path", JS, **named)
def test_a_module_uses_what_it_imports_and_writes_no_markup(path):
    text = path.read_text()
    for names in re.findall(r"^import \{ (.*) \} from", text, re.M):
        for name in names.split(", "):
            assert len(re.findall(rf"\b{name}\b", text)) > 1, f"{name} is imported and not used"
    for word in ("innerHTML =", "insertAdjacentHTML", "eval(", "document.write", "http://", "https://"):
        assert word not in text


def test_every_module_is_reached_from_a_page():
    reached = {name for path in JS for name in re.findall(r"(\w+)\.js\"", path.read_text())}
    linked = {name for path in TEMPLATES for name in re.findall(r"(\w+)\.js", path.read_text())}
    assert {path.stem for path in JS} == {path.stem for path in JS if path.stem in reached | linked}


def test_no_script_does_the_trades_arithmetic():
    for path in JS:
        for word in ("25.4", "Math.PI", "compressionRatio", "0.7854", "sqrt"):
            assert word not in path.read_text(), (path.name, word)


def test_ids_that_scripts_look_for_are_written_somewhere():
    markup = "".join(
        p.read_text() for p in (*TEMPLATES, *WEB.rglob("*.py"), *WEB.parent.glob("drawing/*.py"))
    )
    for path in JS:
        for name in re.findall(r'byId\("([\w-]+)"\)', path.read_text()):
            stem = name.split("-")[0] if name.startswith("lever-") else name
            assert f'id="{name}"' in markup or f'id="{stem}-' in markup or f'"{name}"' in markup, (
                path.name,
                name,
            )


def test_a_name_outside_the_shipped_folders_is_nowhere(shop):
    for name in ("../app.py", "css/../../app.py", "mix/../routes.py", "sheet/routes.py", "", "css"):
        with pytest.raises(FileNotFoundError):
            asset_file(name)
    mark = re.search(r"/static/(\w+)/", shop.html("/settings")).group(1)
    for name in ("nothing.css", "mix/nothing.css", "css/", "%2e%2e/app.py"):
        assert shop.get(f"/static/{mark}/{name}").status_code == 404


def test_nothing_is_kept_by_the_spelling_of_a_visitor(shop):
    mark = re.search(r"/static/(\w+)/", shop.html("/settings")).group(1)
    shop.html(f"/static/{mark}/css/bar.css")
    before = kept_by_caches()
    for name in ("css/./bar.css", "css//bar.css", "CSS/BAR.CSS", "css/bar.css%00", "a" * 300, "mix/" * 40):
        for seen in (mark, "other", "%00"):
            assert shop.get(f"/static/{seen}/{name}").status_code in (308, 400, 404), name
    assert kept_by_caches() == before


def kept_by_caches():
    """How many entries the caches of the module hold together."""
    found = [value for value in vars(assets).values() if type(value) is type(assets.asset)]
    assert found
    return sum(cache.cache_info().currsize for cache in found)


def fetched(shop, address):
    response = shop.get(address, Accept_Encoding="gzip")
    assert response.status_code == 200, address
    packed = response.headers.get("Content-Encoding") == "gzip"
    return len(response.data), gzip.decompress(response.data) if packed else response.data


@pytest.mark.parametrize("station", ["stack", "figures", "sheet"])
def test_the_first_view_with_every_module_and_font_is_light(shop, bring, station):
    total, html = fetched(shop, f"/builds/{bring('mountain-rescue')}/{station}")
    page = read(html.decode())
    waiting = [e.attrs.get("href", e.attrs.get("src", "")) for e in page if e.tag in ("link", "script")]
    seen = set()
    while waiting:
        address = waiting.pop()
        if address in seen:
            continue
        seen.add(address)
        size, content = fetched(shop, address)
        total += size
        if address.endswith(".js"):
            folder = address.rsplit("/", 1)[0]
            waiting += [
                f"{folder}/{name[2:]}" for name in IMPORT.findall(content.decode()) if name.startswith("./")
            ]
        if address.endswith("all.css"):
            base = address.rsplit("/css/", 1)[0]
            waiting += [
                f"{base}/{name}" for name in re.findall(r'url\("\.\./(vendor/[^"]+)"\)', content.decode())
            ]
    assert len(seen) > 12
    assert total < 250_000
