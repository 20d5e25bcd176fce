"""A form that only those see who have signed in: a cookie says so, and the storage has a value for it."""

import http.server
import sys
import urllib.parse

IN = """<!doctype html><html lang=en><title>Sign in</title><form method=post action=/in><label>Name <input name=name></label><label>Password <input type=password name=word></label><button>Sign in</button></form>"""
FORM = """<!doctype html><html lang=en><title>Lamp</title><form method=post action=/lamps><label>Wick <input name=wick></label><button>Light</button></form><script>document.querySelector("input").value = localStorage.getItem("wick") ?? ""; localStorage.setItem("wick", "wet")</script>"""


HOME = "<!doctype html><p role=status>Welcome, Una.</p><script>localStorage.setItem('wick', 'dry')</script>"


class Handler(http.server.BaseHTTPRequestHandler):
    def send(self, status, text="", **headers):
        self.send_response(status)
        self.send_header("Content-Type", "text/html; charset=utf-8")
        for name, value in headers.items():
            self.send_header(name.replace("_", "-"), value)
        self.send_header("Content-Length", str(len(text.encode())))
        self.end_headers()
        self.wfile.write(text.encode())

    def do_GET(self):
        known = "sid=una" in self.headers.get("cookie", "")
        if self.path == "/in":
            self.send(200, IN)
        elif not known:
            self.send(303, Location="/in")
        else:
            self.send(200, HOME if self.path == "/home" else FORM)

    def do_POST(self):
        sent = dict(urllib.parse.parse_qsl(self.rfile.read(int(self.headers["Content-Length"])).decode()))
        if self.path == "/in" and sent.get("word") == "gull":
            self.send(303, Location="/home", Set_Cookie="sid=una; Path=/; HttpOnly; SameSite=Lax")
        elif self.path == "/in":
            self.send(200, IN.replace("<form", "<p role=alert>Wrong password.</p><form"))
        elif "sid=una" not in self.headers.get("cookie", ""):
            self.send(403, "no")
        else:
            self.send(200, f"<!doctype html><p role=status>{sent['wick']} burns.</p>")

    def log_message(self, *more):
        pass


http.server.ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
