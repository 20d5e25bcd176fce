"""Takes the pictures in docs/screenshots: `python tools/pictures.py [NAME …]` (needs Chromium).

Each of a terminal is what a command prints on the demo's files, with its colours, drawn by a browser at 1280x800.
"""

from __future__ import annotations

import contextlib
import html
import os
import re
import subprocess
import sys
import tempfile
import urllib.error
import urllib.parse
import urllib.request
from pathlib import Path

HERE = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
BAD_SCRIPT = """subject "lost-property.html#lost"

scenario "slips"
    type reportr "Ivo Lind"
    expct errors nothing
    expect form is pristine
"""
BAD_SHEET = """form: claims-desk
page: lost-property.html#lost
report: {first: blur, again: change}
fields:
  reporter: {rules: [
      {requird: true, say: Who are you?}]}
  worht: {label: Worth}
"""
# name -> the commands whose output it shows
PICTURES: dict[str, tuple[tuple[str, ...], ...]] = {
    "errors": (("run", "bad.fox"), ("outline", "bad.form.yaml")),
    "trace": (("trace", "messages.fox:12"),),
    "failure": (("run", "aside.fox", "booking.fox"),),
    "live": (
        ("run", "crossing.fox:23", "crossing.fox:74", "--live", "--verbose"),
        ("run", "crossing.fox:74", "--live", "--subject", "aside-booking.form.yaml"),
    ),
    "coverage": (("coverage", "booking.fox"),),
    "weaken": (("weaken", "booking.fox", "messages.fox"),),
    "manners": (("manners", "broken.form.yaml", "--only", "patience,plain-speech,forgives,no-rush,own-row,once"),),
    "lint": (("lint", "broken.form.yaml", "--only", "nags,never-breaks,contradiction,dead-end,sends-while-asking"),),
    "words": (("words", "cannot"), ("words", "minlength")),
}
GREY, RED, GREEN = "color:#8b949e", "color:#ff7b72", "color:#7ee787"
STYLES = {"1": "font-weight:bold", "2": GREY, "31": RED, "32": GREEN, "90": GREY, "91": RED}


def painted(text: str) -> str:
    """What a terminal prints, as HTML."""
    found, open_ = "", 0
    for part in re.split(r"(\x1b\[[0-9;]*m)", text):
        if not part.startswith("\x1b["):
            found += html.escape(part)
            continue
        codes = [c for c in part[2:-1].split(";") if c not in ("", "0")]
        if not codes:
            found, open_ = found + "</span>" * open_, 0
        else:
            found += f'<span style="{";".join(STYLES.get(c, "") for c in codes)}">'
            open_ += 1
    return found + "</span>" * open_


def take(name: str, folder: Path) -> None:
    body = ""
    for command in PICTURES[name]:
        env = {**os.environ, "COLUMNS": "100"}
        done = subprocess.run(
            [sys.executable, "-m", "idlefox", *command, "--color", "always"], cwd=folder, env=env, text=True, check=False,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
        )  # fmt: skip
        body += f'<span style="color:#8b949e">$ idlefox {" ".join(command)}</span>\n{painted(done.stdout)}\n'
    draw(name, body, folder)


def serve(folder: Path) -> None:
    """The booking as `idlefox serve` draws it, sent with things wrong in it."""
    program = subprocess.Popen(
        [sys.executable, "-m", "idlefox", "serve", "booking.form.yaml", "--at-once", "--clock", "2031-05-02T09:00:00Z"],
        cwd=folder, text=True, stdout=subprocess.PIPE,
    )  # fmt: skip
    assert program.stdout is not None
    program.stdout.readline()
    url = program.stdout.readline().strip()
    visitor = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    visitor.open(url).close()
    entered = {"sailing": "night", "contact.email": "mara@fjordmail", "contact.email_again": "mara@fjordmail", "vehicle.bringing": "on"}
    page = folder / "serve.html"
    with contextlib.suppress(urllib.error.HTTPError):
        visitor.open(f"{url}bookings", urllib.parse.urlencode(entered).encode())
    page.write_bytes(visitor.open(f"{url}?look=", urllib.parse.urlencode(entered).encode()).read())
    program.terminate()
    shoot("serve", page, folder)


def report(folder: Path) -> None:
    """The HTML report of a run in which something failed."""
    page = folder / "report.html"
    call = [sys.executable, "-m", "idlefox", "run", "aside.fox", "booking.fox", "crew.fox", "--quiet", "--report", f"html={page}"]
    subprocess.run(call, cwd=folder, capture_output=True, check=False)
    shoot("report", page, folder)


def timeline(folder: Path) -> None:
    """The timeline of a scenario with a lookup in it."""
    call = [sys.executable, "-m", "idlefox", "trace", "booking.fox:184", "--figure", str(HERE / "timeline.png")]
    subprocess.run(call, cwd=folder, capture_output=True, check=True)


SAID = """type contact.email "mara@"
blur
offer
turn vehicle.plate on
type vehicle.plate "SK4711"
back 3
look contact
"""


def rehearse(folder: Path) -> None:
    """A few steps by hand."""
    call = [sys.executable, "-m", "idlefox", "rehearse", "booking.form.yaml", "--color", "always"]
    done = subprocess.run(call, cwd=folder, env={**os.environ, "COLUMNS": "100"}, input=SAID, text=True, capture_output=True, check=False)
    draw("rehearse", f'<span style="{GREY}">$ idlefox rehearse booking.form.yaml</span>\n{painted(done.stdout)}', folder)


EDITOR = """set nocompatible number signcolumn=yes
set rtp+=/usr/share/vim-ale
filetype plugin on
let g:ale_linters_explicit=1
let g:ale_linters={{'idlefox':['idlefox']}}
let g:ale_virtualtext_cursor=2
au BufNewFile,BufRead *.fox setfiletype idlefox
source /usr/share/vim-ale/plugin/ale.vim
call ale#linter#Define('idlefox', {{'name':'idlefox','lsp':'stdio','executable':'{program}','command':'%e language-server',
  \\ 'project_root':'{folder}','language':'idlefox'}})
"""


def editor(folder: Path) -> None:
    """A script with a slip and a check that tells nothing, in a terminal's editor (needs Debian's vim-ale and tmux)."""
    import time

    program = Path(sys.executable).with_name("idlefox")
    (folder / "vimrc").write_text(EDITOR.format(program=program, folder=folder))
    text = (folder / "booking.fox").read_text("utf-8").replace("only tooShort\n", "only tooShrt\n")
    (folder / "slip.fox").write_text(text, "utf-8")
    tmux = ["tmux", "-L", "pictures"]
    subprocess.run([*tmux, "new-session", "-d", "-x", "128", "-y", "36", "vim -u vimrc +153 slip.fox"], cwd=folder, check=True)
    time.sleep(6)  # an editor tells nobody when it is ready
    shown = subprocess.run([*tmux, "capture-pane", "-p", "-e"], text=True, capture_output=True, check=True).stdout
    subprocess.run([*tmux, "kill-server"], check=True)
    draw("editor", painted(shown), folder)


def draw(name: str, body: str, folder: Path) -> None:
    """A picture of what stands in a terminal."""
    page = folder / f"{name}.html"
    style = "margin:0;background:#0d1117;color:#f0f6fc;font:15px/20.4px 'DejaVu Sans Mono',monospace;padding:18px 24px;overflow:hidden"
    inner = "margin:0;font:inherit;white-space:pre-wrap;max-width:100ch"
    page.write_text(f'<meta charset=utf-8><body style="{style}"><pre style="{inner}">{body}</pre>', encoding="utf-8")
    shoot(name, page, folder)


def shoot(name: str, page: Path, folder: Path) -> None:
    subprocess.run(
        ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync", f"--user-data-dir={folder}/browser", "--window-size=1280,800",
         f"--screenshot={HERE / (name + '.png')}", page.as_uri()], check=True, capture_output=True, timeout=60,
    )  # fmt: skip


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "skerry"
        command = [sys.executable, "-m", "idlefox", "demo", str(folder), "--with-failure", "--quiet"]
        subprocess.run(command, capture_output=True, check=False)
        subprocess.run([*command, "--live"], capture_output=True, check=False)
        (folder / "bad.fox").write_text(BAD_SCRIPT, encoding="utf-8")
        (folder / "bad.form.yaml").write_text(BAD_SHEET, encoding="utf-8")
        others = {"serve": serve, "report": report, "timeline": timeline, "rehearse": rehearse, "editor": editor}
        for name in sys.argv[1:] or (*PICTURES, *others):
            others[name](folder) if name in others else take(name, folder)


if __name__ == "__main__":
    main()
