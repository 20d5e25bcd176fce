"""Waiting times in an editor: `python benchmarks/editor.py`, with the installed `idlefox language-server`.

In a script of 2,000 lines about the demo's booking: from a keystroke to its diagnostics, a completion, and the server's memory.
"""

from __future__ import annotations

import asyncio
import re
import shutil
import statistics
import sys
import tempfile
from importlib.resources import files
from itertools import count
from pathlib import Path
from time import perf_counter
from typing import Any

from lsprotocol import types as t
from pygls.lsp.client import LanguageClient

LINES, KEYS = 2_000, 40


def script(text: str) -> str:
    """The demo's script again and again, each title once."""
    first = text.index('scenario "')
    body, number = text[first:], count(1)
    whole = text[:first] + (body + "\n") * (LINES // body.count("\n") + 1)
    whole = re.sub(r'^scenario "', lambda _: f'scenario "{next(number)} ', whole, flags=re.MULTILINE)
    return "\n".join(whole.split("\n")[: LINES + 8]).rsplit("\nscenario", 1)[0] + "\n"


async def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(str(files("idlefox") / "demo"))
        shutil.copy(demo / "booking.form.yaml", folder)
        text = script((demo / "booking.fox").read_text("utf-8"))
        path = Path(folder) / "large.fox"
        path.write_text(text, "utf-8")
        client, uri = LanguageClient("bench", "1"), path.resolve().as_uri()
        heard: asyncio.Queue[t.PublishDiagnosticsParams] = asyncio.Queue()

        @client.feature(t.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)
        def _(params: t.PublishDiagnosticsParams) -> None:
            heard.put_nowait(params)

        await client.start_io(sys.executable, "-m", "idlefox", "language-server")
        await client.initialize_async(t.InitializeParams(capabilities=t.ClientCapabilities(), root_uri=Path(folder).resolve().as_uri()))
        client.initialized(t.InitializedParams())
        start = perf_counter()
        client.text_document_did_open(t.DidOpenTextDocumentParams(t.TextDocumentItem(uri, "idlefox", 1, text)))
        await heard.get()
        print(f"{text.count(chr(10)):,} lines; opened, all of it looked at: {1000 * (perf_counter() - start):.0f} ms")
        line = next(n for n, each in enumerate(text.split("\n")) if n > LINES // 2 and "    submit" in each)
        times, offers = [], []
        for key in range(KEYS):
            letters = "expect voucher is as"
            at = t.Position(line, 4 + key % len(letters))
            change: Any = t.TextDocumentContentChangePartial(range=t.Range(at, at), text=letters[key % len(letters)])
            start = perf_counter()
            client.text_document_did_change(
                t.DidChangeTextDocumentParams(t.VersionedTextDocumentIdentifier(version=key + 2, uri=uri), [change])
            )  # fmt: skip
            while (await heard.get()).version != key + 2:
                pass
            times.append(1000 * (perf_counter() - start))
            start = perf_counter()
            await client.text_document_completion_async(
                t.CompletionParams(t.TextDocumentIdentifier(uri), t.Position(at.line, at.character + 1))
            )  # fmt: skip
            offers.append(1000 * (perf_counter() - start))
        print(f"a keystroke to its diagnostics: {statistics.median(times):.0f} ms, the slowest of {KEYS} {max(times):.0f} ms")
        print(f"a completion: {statistics.median(offers):.0f} ms, the slowest of {KEYS} {max(offers):.0f} ms")
        server = client._server  # the process that the client has started
        status = Path(f"/proc/{server.pid}/status") if server is not None else Path("/nowhere")
        if status.exists():
            most = int(status.read_text().partition("VmHWM:")[2].split()[0])
            print(f"memory: {most // 1024} MB at most")
        await client.shutdown_async(None)
        client.exit(None)


if __name__ == "__main__":
    asyncio.run(main())
