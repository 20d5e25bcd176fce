"""Makes the pictures in docs/screenshots: `python tools/pictures.py [NAME …]`.

Needs Chromium; `live` also needs its driver, `editor` Debian's vim, vim-ale and tmux. A picture of a terminal shows the real
output of a command on the demo's files, in the palette of the reports, cropped to its content.
"""

from __future__ import annotations

import contextlib
import html
import os
import re
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
from base64 import b64encode
from collections.abc import Callable
from pathlib import Path

from idlefox.editor.coloring import LEGEND, semantic_tokens

HERE = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
BAD_SCRIPT = """subject "lost-property.html#lost"

scenario "typos"
    type reportr "Ivo Lind"
    expct errors nothing
    expect form is pristine
"""
BAD_SHEET = """form: claims-desk
page: lost-property.html#lost
report: {first: blur, again: change}
fields:
  reporter: {rules: [
      {requird: true, message: Who are you?}]}
  worht: {label: Worth}
"""
REHEARSED = """type contact.email "mara@"
blur
offer
turn vehicle.plate on
type vehicle.plate "SK4711"
back 3
look contact
"""
# The dark palette of the reports (`src/idlefox/report/page.css`).
DARK = {"ground": "#1d1a16", "ink": "#ece3d2", "quiet": "#a89a86", "good": "#7fb3d5", "bad": "#e8916a", "doubt": "#d9b85f"}
# The commands of each picture; a number keeps that many lines of the output's end.
COMMANDS: dict[str, tuple[tuple[str, int], ...]] = {
    "failure": (("run aside.fox booking.fox", 0),),
    "errors": (("run bad.fox", 0), ("outline bad.form.yaml", 0)),
    "run": (("demo", 0),),
    "outline": (("outline booking.form.yaml", 34),),
    "outline-page": (("outline lost-property.html#lost", 30),),
    "trace": (("trace messages.fox:12", 0),),
    "scaffold": (("scaffold lost-property.html#lost --into first", 0), ("run first/lost.fox --root .", 0)),
    "coverage": (("coverage booking.fox", 34),),
    "weaken": (("weaken booking.fox messages.fox", -42),),
    "manners": (("manners broken.form.yaml --only once,forgives,own-row", 0),),
    "lint": (("lint broken.form.yaml --only nags,never-breaks,dead-end", 0),),
    "words": (("words cannot", 0), ("words minlength", 0)),
}
COLUMNS = 94  # of a terminal
STYLES = {
    "1": "font-weight:bold", "2": f"color:{DARK['quiet']}", "4": "text-decoration:underline", "31": f"color:{DARK['bad']}",
    "32": f"color:{DARK['good']}", "33": f"color:{DARK['doubt']}", "90": f"color:{DARK['quiet']}",
}  # fmt: skip


def style_of(codes: list[str]) -> str:
    """Return the CSS of a terminal's codes (ECMA-48, SGR)."""
    if codes[:2] == ["38", "2"]:
        return f"color:rgb({','.join(codes[2:5])})"
    if codes[:2] == ["48", "2"]:
        return f"background:rgb({','.join(codes[2:5])})"
    return ";".join(STYLES.get(code, "") for code in codes)


def painted(text: str) -> str:
    """Return the output of a terminal as HTML."""
    found, open_ = "", 0
    for part in re.split(r"(\x1b\[[0-9;]*m)", text):
        if not part.startswith("\x1b["):
            found += html.escape(part)
            continue
        codes = [code for code in part[2:-1].split(";") if code != ""]
        if codes in ([], ["0"], ["39"], ["49"], ["22"], ["24"]):
            found, open_ = found + "</span>" * open_, 0
        else:
            found += f'<span style="{style_of(codes)}">'
            open_ += 1
    return found + "</span>" * open_


def prompt(command: str) -> str:
    """Return the command line, the brightest line of the picture."""
    return f'<span style="color:#fff;font-weight:bold">$ idlefox {html.escape(command)}</span>\n'


def output_of(command: str, folder: Path, columns: int = COLUMNS, piped: str | None = None) -> str:
    """Return the output of *command*, with its colours."""
    env = {**os.environ, "COLUMNS": str(columns)}
    call = [sys.executable, "-m", "idlefox", *command.split(), "--color", "always"]
    done = subprocess.run(call, cwd=folder, env=env, text=True, check=False, input=piped, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    return done.stdout.strip("\n")


def part_of(text: str, lines: int) -> str:
    """Return about the last *lines* lines of *text*, from a paragraph on; if negative, the first ones, to the end of a paragraph."""
    all_lines = text.split("\n")
    if not lines or len(all_lines) <= abs(lines):
        return text
    if lines < 0:
        end = next((i for i in range(-lines, 0, -1) if not all_lines[i].strip()), -lines)
        return "\n".join([*all_lines[:end], "", "\x1b[2m⋮\x1b[0m"])
    first = next((i for i in range(len(all_lines) - lines, len(all_lines)) if not all_lines[i - 1].strip()), len(all_lines) - lines)
    return "\n".join(["\x1b[2m⋮\x1b[0m", "", *all_lines[first:]])


def terminal(name: str, folder: Path) -> None:
    """Draw the commands of *name* with their output."""
    parts = [prompt(command) + painted(part_of(output_of(command, folder), lines)) for command, lines in COMMANDS[name]]
    draw(name, "\n\n".join(parts), folder)


def live(folder: Path) -> None:
    """Draw a run on a faulty page, and the page at the failure."""
    command = "run crossing.fox:74 --live --subject aside-booking.form.yaml"
    body = prompt(command) + painted(output_of(command, folder, 70))
    shown = next(iter(sorted((folder / ".idlefox").rglob("*.png"))))
    image = b64encode(shown.read_bytes()).decode()
    page = f'<div class="page" style="background-image:url(data:image/png;base64,{image})"></div>'
    shoot("live", terminal_page(body, page), folder, (1150, 0))


def serve(folder: Path) -> None:
    """Draw the booking form as `idlefox serve` serves it, after an attempt with mistakes."""
    program = subprocess.Popen(
        [sys.executable, "-m", "idlefox", "serve", "booking.form.yaml", "--at-once", "--clock", "2031-05-02T09:00:00Z"],
        cwd=folder, text=True, stdout=subprocess.PIPE,
    )  # fmt: skip
    assert program.stdout is not None
    url = ""
    while not url.startswith("http"):
        url = program.stdout.readline().strip()
    visitor = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    visitor.open(url).close()
    entered = {"sailing": "night", "contact.email": "mara@", "contact.email_again": "mara@", "vehicle.bringing": "on"}
    with contextlib.suppress(urllib.error.HTTPError):
        visitor.open(f"{url}bookings", urllib.parse.urlencode(entered).encode())
    page = visitor.open(f"{url}?look=", urllib.parse.urlencode(entered).encode()).read().decode()
    program.terminate()
    shoot("serve", page, folder, (760, 0))


def report(folder: Path) -> None:
    """Draw the HTML report of a run with failures."""
    page = folder / "report.html"
    call = [sys.executable, "-m", "idlefox", "run", "aside.fox", "by-post.fox", "--quiet", "--report", f"html={page}"]
    subprocess.run(call, cwd=folder, capture_output=True, check=False)
    shoot("report", page.read_text("utf-8"), folder, (1000, 0))


def timeline(folder: Path) -> None:
    """Draw the timeline of a scenario with a lookup."""
    call = [sys.executable, "-m", "idlefox", "trace", "booking.fox:184", "--figure", str(HERE / "timeline.png")]
    subprocess.run(call, cwd=folder, capture_output=True, check=True)


def page(folder: Path) -> None:
    """Draw the demo's page with a frame on every part that is found."""
    call = [sys.executable, "-m", "idlefox", "outline", "booking.form.yaml", "--live", "--figure", str(HERE / "page.png")]
    subprocess.run(call, cwd=folder, capture_output=True, check=True)


def rehearse(folder: Path) -> None:
    """Draw a few steps at the interactive prompt."""
    said = output_of("rehearse booking.form.yaml", folder, piped=REHEARSED)
    draw("rehearse", prompt("rehearse booking.form.yaml") + painted(said), folder)


VIMRC = """set nocompatible number signcolumn=yes termguicolors nowrap noshowcmd noruler laststatus=0 cmdheight=1
set rtp+=/usr/share/vim-ale
filetype plugin on
syntax on
let g:ale_linters_explicit=1
let g:ale_linters={{'idlefox':['idlefox']}}
let g:ale_virtualtext_cursor=2
let g:ale_echo_cursor=0
let g:ale_virtualtext_prefix='  ■ '
let g:ale_sign_error='✕'
let g:ale_sign_warning='!'
au BufNewFile,BufRead *.fox setfiletype idlefox
source /usr/share/vim-ale/plugin/ale.vim
call ale#linter#Define('idlefox', {{'name':'idlefox','lsp':'stdio','executable':'{program}','command':'%e language-server',
  \\ 'project_root':'{folder}','language':'idlefox'}})
func Paint()
  hi Normal guibg={ground} guifg={ink}
  hi LineNr guibg={ground} guifg={quiet}
  hi SignColumn guibg={ground}
  hi NonText guibg={ground} guifg={quiet}
{colours}
  hi ALEError guifg={bad} gui=underline
  hi ALEWarning guifg={doubt} gui=underline
  hi ALEErrorSign guifg={bad} guibg={ground}
  hi ALEWarningSign guifg={doubt} guibg={ground}
  hi ALEVirtualTextError guifg={bad}
  hi ALEVirtualTextWarning guifg={doubt}
endfunc
au VimEnter * call Paint()
"""


# How the editor paints each type of semantic token. A type that is not here has the colour of the text.
TOKENS = {
    "keyword": "guifg=#7fb3d5", "function": "guifg=#9cc48a gui=bold", "string": "guifg=#d9b85f", "number": "guifg=#d9b85f",
    "regexp": "guifg=#d9b85f", "parameter": "guifg=#8fd0c6", "enumMember": "guifg=#d6a5c8", "decorator": "guifg=#a89a86",
    "comment": "guifg=#a89a86", "operator": "guifg=#a89a86",
}  # fmt: skip


def token_colours(text: str) -> str:
    """Return the commands with which the editor paints the language server's semantic tokens of *text*."""
    lines = [f"  hi fox_{kind} {look}" for kind, look in TOKENS.items()]
    tokens = iter(semantic_tokens(text))
    line = character = 0
    for down, across, length, kind, _ in zip(*[tokens] * 5, strict=True):
        line, character = line + down, (0 if down else character) + across
        if LEGEND[kind] in TOKENS:
            lines.append(f"  call matchaddpos('fox_{LEGEND[kind]}', [[{line + 1}, {character + 1}, {length}]], -1)")
    return "\n".join(lines)


def editor(folder: Path) -> None:
    """Draw a script with a typo in an editor, with the language server's colours and messages."""
    program = Path(sys.executable).with_name("idlefox")
    text = (folder / "booking.fox").read_text("utf-8").replace("only tooShort\n", "only tooShrt\n")
    (folder / "vimrc").write_text(VIMRC.format(program=program, folder=folder, colours=token_colours(text), **DARK))
    (folder / "slip.fox").write_text(text, "utf-8")
    tmux = ["tmux", "-L", "pictures"]
    env = {**os.environ, "TERM": "xterm-256color", "COLORTERM": "truecolor"}
    start = [*tmux, "-f", "/dev/null", "new-session", "-d", "-x", "112", "-y", "27", "vim -u vimrc +152 slip.fox"]
    subprocess.run(start, cwd=folder, env=env, check=True)
    subprocess.run([*tmux, "set-option", "-ga", "terminal-overrides", ",*:Tc"], check=True)
    time.sleep(6)  # an editor does not say when it is ready
    shown = subprocess.run([*tmux, "capture-pane", "-p", "-e"], text=True, capture_output=True, check=True).stdout
    subprocess.run([*tmux, "kill-server"], check=True)
    draw("editor", painted(shown.rstrip("\n")), folder, 13)


def terminal_page(body: str, beside: str = "", size: int = 15) -> str:
    """Return a page with *body* as a terminal in a font of *size* pixels, and *beside* at its right."""
    colours = f"background:{DARK['ground']};color:{DARK['ink']}"
    style = f"margin:0;{colours};font:{size}px/{round(size * 1.4)}px 'DejaVu Sans Mono',monospace;padding:18px 24px"
    rest = "display:flex;gap:32px;align-items:flex-start" if beside else ""
    look = "<style>.page{flex:none;width:400px;height:610px;border-radius:6px;background:center top / auto 610px}</style>"
    return (
        f'<!doctype html><meta charset=utf-8>{look}<body style="{style};{rest}"><pre style="margin:0;font:inherit;'
        f'white-space:pre-wrap;overflow-wrap:anywhere">{body}</pre>{beside}'
    )


def draw(name: str, body: str, folder: Path, size: int = 15) -> None:
    """Draw a terminal, as wide as the longest line needs."""
    lines = html.unescape(re.sub(r"<[^>]*>", "", body)).split("\n")
    width = min(900, max(560, round(max(map(len, lines)) * size * 0.6025) + 50))
    shoot(name, terminal_page(body, size=size), folder, (width, 0))


def shoot(name: str, page: str, folder: Path, size: tuple[int, int]) -> None:
    """Draw *page* at a *size* in pixels; a height of 0 is that of its content."""
    width, height = size
    path = folder / f"{name}.html"
    if not height:
        ask = "<script>onload=()=>{document.title='H'+Math.ceil(document.documentElement.getBoundingClientRect().height)}</script>"
        path.write_text(page + ask, "utf-8")
        dumped = chromium(folder, f"--window-size={width},400", "--dump-dom", path.as_uri())
        height = int(re.search(r"<title>H(\d+)</title>", dumped).group(1))  # type: ignore[union-attr]
    path.write_text(page, "utf-8")
    chromium(folder, f"--window-size={width},{height}", f"--screenshot={HERE / (name + '.png')}", path.as_uri())


def chromium(folder: Path, *options: str) -> str:
    """Run Chromium without a window; return its output."""
    quiet = ["--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"]
    quiet.append("--hide-scrollbars")
    call = ["chromium", "--headless", "--no-sandbox", *quiet, f"--user-data-dir={folder}/browser", *options]
    return subprocess.run(call, check=True, capture_output=True, text=True, timeout=60).stdout


OTHERS: dict[str, Callable[[Path], None]] = {
    "live": live, "serve": serve, "report": report, "timeline": timeline, "page": page, "rehearse": rehearse, "editor": editor,
}  # fmt: skip


def main() -> None:
    """Make the pictures named on the command line, or all."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "skerry"
        command = [sys.executable, "-m", "idlefox", "demo", str(folder), "--with-failure", "--quiet"]
        subprocess.run(command, capture_output=True, check=False)
        subprocess.run([*command, "--live"], capture_output=True, check=False)
        (folder / "bad.fox").write_text(BAD_SCRIPT, encoding="utf-8")
        (folder / "bad.form.yaml").write_text(BAD_SHEET, encoding="utf-8")
        for name in sys.argv[1:] or (*COMMANDS, *OTHERS):
            OTHERS[name](folder) if name in OTHERS else terminal(name, folder)
            print(name, flush=True)


if __name__ == "__main__":
    main()
