"""A form drawn by a server: summary with links, messages joined by aria-describedby, no aria-invalid, no scripts."""

import http.server
import sys
import urllib.parse
from html import escape

STATUS = int(sys.argv[2]) if len(sys.argv) > 2 else 200
FIELDS = ["boat", "mail", "dob-day", "dob-month", "dob-year", "deck"]


def line(name, label, data, errors, hint="", kind="text"):
    ids = " ".join(i for i in ([f"{name}-hint"] if hint else []) + ([f"{name}-error"] if name in errors else []))
    described = f' aria-describedby="{ids}"' if ids else ""
    hinted = f'<div id="{name}-hint" class="hint">{hint}</div>' if hint else ""
    wrong = f'<p id="{name}-error" class="error-message"><span class="away">Error:</span> {errors[name]}</p>' if name in errors else ""
    return f'<div class="group{" group--error" if name in errors else ""}"><label for="{name}">{label}</label>{hinted}{wrong}<input class="input" id="{name}" name="{name}" type="{kind}" value="{escape(data.get(name, [""])[0])}"{described}></div>'


def page(data, errors, crew):
    links = "".join(f'<li><a href="#{"dob-day" if name == "dob" else name}">{text}</a></li>' for name, text in errors.items())
    summary = f'<div class="summary" role="alert" tabindex="-1"><h2>There is a problem</h2><ul>{links}</ul></div>' if errors else ""
    ids = "dob-hint" + (" dob-error" if "dob" in errors else "")
    dob = "".join(
        f'<label for="dob-{part}">{part.title()}</label><input id="dob-{part}" name="dob-{part}" value="{escape(data.get("dob-" + part, [""])[0])}">'
        for part in ("day", "month", "year")
    )
    wrong = f'<p id="dob-error" class="error-message"><span class="away">Error:</span> {errors["dob"]}</p>' if "dob" in errors else ""
    rows = "".join(
        f'<fieldset class="person"><legend>Person {i + 1}</legend><label for="crew-{i}-name">Name</label><input id="crew-{i}-name" name="crew[{i}][name]" value="{escape(name)}"><button name="remove" value="{i}">Remove<span class="away"> person {i + 1}</span></button></fieldset>'
        for i, name in enumerate(crew)
    )
    decks = "".join(
        f'<div><input type="radio" id="deck-{value}" name="deck" value="{value}"{" checked" if data.get("deck", [""])[0] == value else ""}><label for="deck-{value}">{value.title()} deck</label></div>'
        for value in ("upper", "lower")
    )
    deckwrong = (
        f'<p id="deck-error" class="error-message"><span class="away">Error:</span> {errors["deck"]}</p>' if "deck" in errors else ""
    )
    return f"""<!doctype html><html lang=en><title>Boat</title><style>.away{{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%)}}</style><main>{summary}
<form method="post" novalidate><input type="hidden" name="_csrf" value="k{len(data)}9">
<button name="add" value="1">Add another person</button>
{line("boat", "Name of the boat", data, errors, hint="As painted on the hull")}{line("mail", "Email", data, errors, kind="email")}
<div class="group"><fieldset aria-describedby="{ids}"><legend>Date of birth</legend><div id="dob-hint">For example, 27 3 2007</div>{wrong}{dob}</fieldset></div>
<fieldset{' aria-describedby="deck-error"' if "deck" in errors else ""}><legend>Deck</legend>{deckwrong}{decks}</fieldset>
{rows}<button class="send">Continue</button></form></main>"""


class Handler(http.server.BaseHTTPRequestHandler):
    def log_message(self, *args):
        pass

    def reply(self, status, text, **headers):
        self.send_response(status)
        self.send_header("Content-Type", "text/html; charset=utf-8")
        for name, value in headers.items():
            self.send_header(name, value)
        body = text.encode()
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def do_GET(self):
        if self.path == "/done":
            return self.reply(200, "<!doctype html><title>Done</title><main><div class=panel><h1>Boat registered</h1></div></main>")
        if self.path == "/boom":
            return self.reply(500, "<!doctype html><h1>Sorry</h1>")
        self.reply(200, page({}, {}, []))
        return None

    def do_POST(self):
        data = urllib.parse.parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode(), keep_blank_values=True)
        crew = []
        while f"crew[{len(crew)}][name]" in data:
            crew.append(data[f"crew[{len(crew)}][name]"][0])
        if "add" in data:
            return self.reply(200, page(data, {}, [*crew, ""]))
        if "remove" in data:
            crew.pop(int(data["remove"][0]))
            return self.reply(200, page(data, {}, crew))
        errors = {}
        if not data["boat"][0]:
            errors["boat"] = "Enter the name of the boat"
        if data["boat"][0] == "boom":
            return self.reply(500, "<!doctype html><h1>Sorry</h1>")
        if "@" not in data["mail"][0]:
            errors["mail"] = "Enter an email address"
        if not all(data[f"dob-{part}"][0] for part in ("day", "month", "year")):
            errors["dob"] = "Enter your date of birth"
        if "deck" not in data:
            errors["deck"] = "Choose a deck"
        if errors:
            return self.reply(STATUS, page(data, errors, crew))
        self.reply(303, "", Location="/done")
        return None


http.server.ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
