"""Prints the calls between layers for one keystroke: `python tools/hops.py`.

Types `I` into `voucher` of the demo's booking form and prints each call from one layer of the engine, or one
package, to another, in order. A call is upward if it goes to a higher layer.
"""

from __future__ import annotations

import sys
from pathlib import Path
from types import FrameType
from typing import Any

import idlefox
from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import SessionFactory
from idlefox.forms.sheet.read import read_sheet
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.steps import take_step
from idlefox.script.tree import Address, Type

PACKAGE = Path(idlefox.__file__).parent
LAYERS = ("playing", "session", "compile", "acts", "world", "judge", "state", "plan", "forms")  # the highest first


def layer_of(file: str) -> tuple[str, str]:
    """Return the layer of a source file, and its module."""
    parts = Path(file).relative_to(PACKAGE).with_suffix("").parts
    return (parts[1] if parts[0] == "engine" else parts[0]), ".".join(parts)


def walk() -> list[tuple[str, str, str, str]]:
    """Return the calls between layers while one key is typed: caller's layer and function, called layer and function."""
    form = read_sheet(str(PACKAGE / "demo" / "booking.form.yaml"))
    subject = SimulatedForm(SessionFactory(compile_form(form)), ".")
    subject.load(0)
    subject.perform(Type(Address(("voucher",)), "X"), 1)
    calls: list[tuple[str, str, str, str]] = []

    def record(frame: FrameType, event: str, argument: Any) -> None:
        back = frame.f_back
        files = (frame.f_code.co_filename, back.f_code.co_filename if back is not None else "")
        if event != "call" or back is None or not all(f.startswith(str(PACKAGE)) for f in files):
            return
        here, caller = layer_of(files[0])[0], layer_of(files[1])[0]
        if here != caller:
            calls.append((caller, back.f_code.co_qualname, here, frame.f_code.co_qualname))

    sys.setprofile(record)
    take_step(subject, Type(Address(("voucher",)), "I"), 2)
    sys.setprofile(None)
    return calls


def main() -> None:
    calls = walk()
    left: set[str] = set()
    here, stays, returns, up = "playing", 1, 0, 0
    for caller, who, called, what in calls:
        climbs = LAYERS.index(called) < LAYERS.index(caller)
        up += climbs
        print(f"{caller:>8} {who:<34} → {called:<8} {what}{'   (up)' if climbs else ''}")
        if called != here:
            stays += 1
            left.add(here)
            returns += called in left and LAYERS.index(called) < LAYERS.index(here)
            here = called
    print(f"\n{len(calls)} calls between layers, {up} of them upward; {stays} visits, {returns} of them back upward.")


if __name__ == "__main__":
    main()
