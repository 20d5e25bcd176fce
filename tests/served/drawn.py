"""Forms that a server draws at random, without scripts: kinds of controls, labels, messages and marks in the styles that people use."""

from __future__ import annotations

import http.server
import json
import threading
import urllib.parse
from html import escape
from random import Random
from typing import Any

LABELS = ["Boat", "Skipper", "Berth", "Length of the boat", "Harbour", "Arrival", "Notes", "Flag"]
KINDS = ["group", "group", "text", "email", "number", "select", "radio", "checkbox", "textarea", "checks", "date"]
MESSAGES = ["describedby", "errormessage", "beside", "in label", "above", "alert", "summary", "hidden word"]
OPTIONS = ["gannet", "alken", "siv"]
GOOD: dict[str, Any] = {
    "group": {"day": "1", "month": "5"}, "text": "Una", "email": "a@b.example", "number": 3, "select": "alken", "radio": "siv",
    "checkbox": True, "textarea": "two words", "checks": ["gannet", "siv"], "date": "2031-05-02",
}  # fmt: skip
PAGE = "<!doctype html><html lang=en><title>T</title><style>.visually-hidden{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%)}</style>"


class DrawnForm:
    """The page, its server's checks and its sheet."""

    def __init__(self, random: Random) -> None:
        self.fields: list[dict[str, Any]] = [
            {"name": f"f{i}", "label": label, "kind": random.choice(KINDS), "labelled": random.choice(["for", "wrap", "aria"]),
             "must": random.random() < 0.7, "hint": random.random() < 0.4}
            for i, label in enumerate(random.sample(LABELS, random.randint(2, 6)))
        ]  # fmt: skip
        self.message, self.mark = random.choice(MESSAGES), random.choice(["aria", "class", "wrapper class", "none"])
        self.status, self.done = random.choice([200, 422, 400]), random.choice(["<p role=status>It is yours.</p>", "<h1>It is yours</h1>", "<div class=panel>Done</div>"])
        self.native, self.mapped = random.random() < 0.3, random.random() < 0.5

    def says(self, field: dict[str, Any]) -> str:
        return f"Enter the {field['label'].lower()}"

    def sheet(self, url: str) -> str:
        fields: dict[str, Any] = {}
        rules: list[dict[str, Any]] = []
        for field in self.fields:
            kind, say = field["kind"], {"required": True, "say": self.says(field)}
            found = fields[field["name"]] = {"type": {"checks": "checkbox"}.get(kind, kind), "label": field["label"]}
            if kind == "group":
                found["fields"] = {part: {"label": part.title(), "send": f"{field['name']}-{part}"} for part in ("day", "month")}
                filled = f"filled({field['name']}.day) and filled({field['name']}.month)"
                rules += [{"holds": filled, "at": field["name"], "say": say["say"]}] if field["must"] else []
            else:
                found |= {"rules": [say] if field["must"] else []}
            if kind in ("select", "radio", "checks"):
                found["options"] = [{"value": each, "label": each.title()} for each in OPTIONS]
        marks = {"shows": ".error"} if self.message in ("beside", "above", "in label") else {}
        marks |= {"class": {"marked": ".bad"}, "wrapper class": {"marked": ".has-error"}}.get(self.mark, {})
        live = {"page": url, "requests": "real", "views": {"done": ".panel"}} | ({"find": {"*": marks}} if self.mapped and marks else {})
        return json.dumps({"form": "drawn", "fields": fields, "rules": rules, "submit": {"to": "/send", "send": "urlencoded"}, "live": live})

    def missing(self, data: dict[str, Any]) -> set[str]:
        names = {f["name"]: [f"{f['name']}-day", f"{f['name']}-month"] if f["kind"] == "group" else [f["name"]] for f in self.fields if f["must"]}
        return {name for name, parts in names.items() if not all((data.get(part) or [""])[0] for part in parts)}

    def page(self, data: dict[str, Any], wrong: set[str]) -> str:
        links = "".join(f'<li><a href="#{f["name"]}">{self.says(f)}</a></li>' for f in self.fields if f["name"] in wrong)
        loud = "role=alert" if self.mapped else "tabindex=-1"
        summary = f"<div {loud}><h2>There is a problem</h2><ul>{links}</ul></div>" if wrong and self.message == "summary" else ""
        parts = "".join(self._field(field, data, wrong=field["name"] in wrong) for field in self.fields)
        return f"{PAGE}<h1>A berth</h1><form method=post action=/send {'' if self.native else 'novalidate'}>{summary}{parts}<button>Send it</button></form>"

    def _field(self, field: dict[str, Any], data: dict[str, Any], *, wrong: bool) -> str:
        name, kind, text = field["name"], field["kind"], self.says(field)
        values = [escape(each) for each in data.get(name, [])]
        ids = [f"{name}-hint"] * field["hint"] + [f"{name}-error"] * (wrong and self.message in ("describedby", "hidden word"))
        said = {
            "describedby": f"<p id={name}-error>{text}</p>", "hidden word": f"<p id={name}-error><span class=visually-hidden>Error:</span> {text}</p>",
            "errormessage": f"<p id={name}-error>{text}</p>", "alert": f"<p role=alert>{text}</p>", "summary": "",
        }.get(self.message, f"<span class=error>{text}</span>") if wrong else ""  # fmt: skip
        more = f' aria-describedby="{" ".join(ids)}"' * bool(ids) + " aria-invalid=true" * (wrong and self.mark == "aria")
        more += f" aria-errormessage={name}-error" * (wrong and self.message == "errormessage")
        needed, bad = " required" * (field["must"] and self.native), " class=bad" * (wrong and self.mark == "class")
        label = field["label"] + (f" {said}" if self.message == "in label" else "")
        hint = f"<p id={name}-hint>Ask the harbour master</p>" * field["hint"]
        before, after = (said, "") if self.message == "above" else ("", "" if self.message == "in label" else said)
        row = f'"row {"has-error" * (wrong and self.mark == "wrapper class")}"'
        if kind in ("group", "radio", "checks"):
            each = "".join(
                f"<label for={name}-{part}>{part.title()}</label><input id={name}-{part} name={name}-{part} value='{escape(data.get(f'{name}-{part}', [''])[0])}'{bad}>"
                for part in ("day", "month")
            ) if kind == "group" else "".join(
                f"<label><input type={'radio' if kind == 'radio' else 'checkbox'} name={name} value={o}{' checked' * (o in values)}{(more + needed) * (kind == 'radio' and bool(needed))}> {o.title()}</label>"
                for o in OPTIONS
            )  # fmt: skip
            return f"<fieldset class={row} id={name}{more}><legend>{label}</legend>{hint}{before}{each}{after}</fieldset>"
        more += f"{needed}{bad} id={name} name={name}"
        aria = field["labelled"] == "aria" and self.message != "in label"
        more += f' aria-label="{field["label"]}"' * aria
        options = "".join(f"<option value={o}{' selected' * (o in values)}>{o.title()}</option>" for o in OPTIONS)
        control = {
            "textarea": f"<textarea{more}>{''.join(values)}</textarea>", "select": f"<select{more}><option value=''>Choose</option>{options}</select>",
            "checkbox": f"<input type=checkbox{' checked' * bool(values)}{more}>",
        }.get(kind, f"<input type={kind} value='{''.join(values)}'{more}>")  # fmt: skip
        if field["labelled"] == "wrap":
            return f"<div class={row}>{hint}{before}<label>{label} {control}</label>{after}</div>"
        return f"<div class={row}>{'' if aria else f'<label for={name}>{label}</label>'}{hint}{before}{control}{after}</div>"


def serve(current: list[DrawnForm]) -> http.server.ThreadingHTTPServer:
    """Serve the form that *current* holds."""

    class Handler(http.server.BaseHTTPRequestHandler):
        def reply(self, status: int, text: str) -> None:
            self.send_response(status)
            self.send_header("Content-Type", "text/html; charset=utf-8")
            self.end_headers()
            self.wfile.write(text.encode())

        def do_GET(self) -> None:
            self.reply(200, current[0].page({}, set()))

        def do_POST(self) -> None:
            data = urllib.parse.parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode(), keep_blank_values=True)
            wrong = current[0].missing(data)
            self.reply(current[0].status if wrong else 200, current[0].page(data, wrong) if wrong else PAGE + current[0].done)

        def log_message(self, *more: object) -> None:
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server
