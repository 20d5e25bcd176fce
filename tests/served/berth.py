"""A form whose server enforces some of the page's rules and leaves the others to the page."""

import http.server
import sys
import urllib.parse

PAGE = """<!doctype html><html lang=en><title>Berth</title><form method=post>{0}<button name=add value=1>Add</button>
<p><label>Boat <input name=boat required minlength=3 maxlength=12></label><p><label>Mail <input name=mail type=email required></label>
<p><label>Crew <input name=crew type=number min=1 max=6 required></label><p><label>Plate <input name=plate pattern="[A-Z]{{2}}[0-9]{{3}}"></label>
<p><label>Deck <select name=deck required><option value="">-<option>upper<option>lower</select></label>
<p><label><input type=checkbox name=ok required> OK</label><button>Send</button></form>"""


class Handler(http.server.BaseHTTPRequestHandler):
    def log_message(self, *args):
        """Say nothing."""

    def reply(self, status, text, location=""):
        body = text.encode()
        self.send_response(status)
        self.send_header("Content-Length", str(len(body)))
        self.send_header("Location" if location else "Content-Type", location or "text/html; charset=utf-8")
        self.end_headers()
        self.wfile.write(body)

    def do_GET(self):
        self.reply(200, "<!doctype html><h1>Done</h1>" if self.path == "/done" else PAGE.format(""))

    def do_POST(self):
        sent = urllib.parse.parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode())
        if "add" in sent or not (sent.get("boat") and "@" in sent.get("mail", [""])[0] and sent.get("deck")):
            self.reply(422, PAGE.format("<p role=alert>No.</p>"))
        else:
            self.reply(303, "", "/done")


http.server.ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
