"""Generates an accessible page without scripts for a running form. Input takes effect with the next request."""

from __future__ import annotations

from typing import Any

from ...engine.session.page_view import DrawnForm, seen
from ...engine.session.session import Session

LOOK, BUTTON, PANEL, ADD, REMOVE, OPEN, CLOSE = "look", "button", "panel", "add", "remove", "open", "close"  # names of the buttons


def page_of(session: Session, trouble: str = "") -> str:
    """Return the page of the form in *session*. *trouble* is the reason why the last step was not possible."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    loader = PackageLoader("idlefox.live.servers", ".")
    drawn = Environment(loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    live = session.live
    main, *panels = seen(live).values()
    closed = [each for each in live.form.panels if each.panel not in [panel.panel for panel in panels]]
    return drawn.get_template("drawn.html").render(
        title=live.form.label or live.form.id,
        view=live.view,
        notice=live.notice,
        trouble=trouble,
        form=_form(main, closed) if main.parts else None,
        panels=[_form(panel, []) for panel in panels],
    )


def _form(form: DrawnForm, closed: list[Any]) -> dict[str, Any]:
    """Return the template's data of *form*.

    Buttons are never disabled by their own conditions, which may depend on input that has not been sent yet.
    """
    model, panel = form.model, form.panel
    return {
        "id": model.id or panel,
        "label": model.label or panel,
        "panel": panel,
        "action": f"/?{PANEL}={panel}" if panel else model.submit.to,
        "method": "POST" if panel else model.submit.method,
        "files": any(part.type == "file" for part in form.controls()),
        "says": form.says,
        "busy": form.busy,
        "parts": form.parts,
        "opens": closed,
        "presses": [press._replace(enabled=not form.locked) for press in form.presses],
    }
