"""A form in the engine as a subject: steps become acts of hands, checks become looks at live state."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..engine.acts import hands, keys, panels, rows
from ..engine.acts.buttons import button_enabled, button_visible, need_button
from ..engine.acts.enter import enter_object, enter_value, media_type, type_text
from ..engine.acts.reset import press_reset
from ..engine.acts.sight import Cannot, is_enabled, is_visible, whole_of
from ..engine.judge.make import dirty_fields, touched_fields
from ..engine.judge.timing import shown_texts
from ..engine.plan.plans import Plan
from ..engine.session.session import fresh, start
from ..engine.state.access import property_value, state_test
from ..engine.state.cells import FieldCell, FormCell, everything, value_of
from ..engine.state.journal import snapshot
from ..engine.state.live import Live
from ..engine.world.clock import advance, catch_up
from ..engine.world.lookups import Answered
from ..forms.model.form import Notice
from ..forms.names.addresses import called, named
from ..forms.names.shapes import write_address
from ..forms.names.states import FIELD_STATES, FORM_STATES
from ..forms.values.durations import write_duration
from ..script import tree
from ..script.tree import Address, Noun
from .look import state_lines
from .subject import Missing

SETTLE = 30_000  # how long `settle` waits unless it says otherwise


class SimulatedForm:
    """Plays on the engine. *folder* is where the script's paths start (files to upload)."""

    def __init__(self, plan: Plan, folder: str) -> None:
        self.plan = plan
        self.folder = folder
        self.live: Live = None  # type: ignore[assignment]
        self._acts: dict[type, Callable[[Any], None]] = {
            tree.Type: self._type,
            tree.Enter: self._enter,
            tree.Erase: lambda a: hands.step_erase(self.live, self.leaf(a.address), a.times),
            tree.On: self._on,
            tree.Set: lambda a: hands.step_set(self.live, self.leaf(a.address), a.value),
            tree.Pick: lambda a: hands.step_pick(self.live, self.leaf(a.address), a.mode, list(a.values)),
            tree.Turn: lambda a: hands.step_turn(self.live, self.leaf(a.address), a.on),
            tree.Upload: self._upload,
            tree.Press: self._press,
            tree.FillLine: lambda a: enter_value(self.live, self.cell(a.address), a.value),
            tree.Add: self._add,
            tree.Remove: lambda a: rows.step_remove(self.live, self.cell(a.address)),
            tree.Move: lambda a: rows.step_move(self.live, self.cell(a.address), a.to),
            tree.Panel: self._panel,
            tree.Submit: self._submit,
            tree.Plain: self._plain,
            tree.Wait: lambda a: self._wait(a.duration),
            tree.Settle: self._settle,
            tree.Answer: self._answer,
            tree.Note: lambda a: None,
        }

    # the subject's interface
    def load(self, clock: int) -> None:
        self.live = start(self.plan, clock)

    def close(self) -> None:
        self.live = None  # type: ignore[assignment]

    def warnings(self) -> tuple[str, ...]:
        return tuple(self.live.warnings)

    def perform(self, act: Any, step: int) -> None:
        live = self.live
        live.step = step
        if not isinstance(act, tree.Wait | tree.Settle | tree.Answer | tree.Note):
            live.acts += 1
        self._acts[type(act)](act)
        catch_up(live)

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool:
        return advance(self.live, self.live.now + milliseconds, until=until)

    # finding cells
    def cell(self, address: Address) -> Any:
        """The cell that *address* names now. Raises Cannot for a row or panel that is not there."""
        try:
            return self.find(address)
        except Missing as fault:
            raise Cannot(str(fault)) from None

    def leaf(self, address: Address) -> Any:
        return self.cell(address)

    def find(self, address: Address) -> Any:
        segments = address.segments
        live = self.live
        cell: Any = live.root
        if live.form.page is not None:
            name = named(live.form.shape, segments)
            if name is not None:
                return next(p for p in cell.parts if p.plan.field.name == name)
        if segments and segments[0] in live.plan.panels and not any(p.plan.field.name == segments[0] for p in cell.parts):
            cell = panels.panel_of(live, str(segments[0]))
            segments = segments[1:]
        for i, segment in enumerate(segments):
            if isinstance(segment, int):
                if not -len(cell.parts) <= segment < len(cell.parts):
                    count, name = len(cell.parts), write_address(address.segments[: i + 1])
                    raise Missing(f"{name} is not there: {cell.address()} has {count} row{'s' if count != 1 else ''}")
                cell = cell.parts[segment]
            else:
                cell = next(p for p in cell.parts if p.plan.field.name == segment)
        return cell

    # steps
    def _type(self, act: tree.Type) -> None:
        cell = self.leaf(act.address)
        if act.every is None:
            type_text(self.live, cell, act.text)
            return
        for i, character in enumerate(act.text):
            if i:
                advance(self.live, self.live.now + act.every)
            type_text(self.live, cell, character)

    def _enter(self, act: tree.Enter) -> None:
        if act.how == "paste":
            hands.step_paste(self.live, self.leaf(act.address), act.text)
        else:
            type_text(self.live, self.leaf(act.address), act.text, over=True)

    def _on(self, act: tree.On) -> None:
        cell: Any = self.leaf(act.address) if act.address is not None else None
        if act.verb == "blur":
            hands.step_blur(self.live, cell)
        elif act.verb == "focus":
            hands.step_focus(self.live, cell)
        elif act.verb == "clear":
            hands.step_clear(self.live, cell)
        else:
            hands.step_turn(self.live, cell, None)

    def _upload(self, act: tree.Upload) -> None:
        files = []
        for file in act.files:
            beside = Path(self.folder) / file.name
            size = file.size
            if size is None:
                size = beside.stat().st_size if beside.is_file() else 0
                if beside.is_file():
                    self.live.file_paths[Path(file.name).name, size] = str(beside)
            files.append({"name": Path(file.name).name, "size": size, "type": file.type or media_type(file.name)})
        hands.step_upload(self.live, self.leaf(act.address), files)

    def _press(self, act: tree.Press) -> None:
        live = self.live
        follows = keys.step_press(live, act.key, self.leaf(act.address) if act.address is not None else None)
        if follows == "close":
            opened = [w for name, w in live.wholes.items() if name and w.open]
            if opened:
                panels.close(live, opened[-1])
        elif follows == "submit" and live.form.page is not None and (live.focus is None or not whole_of(live.focus).plan.form.name):
            self._press_on_page()
        elif follows == "submit":
            whole = whole_of(live.focus) if live.focus is not None else live.root
            if button_visible(live, whole) and button_enabled(live, whole, ""):
                live.submission.press(whole, None)

    def _press_on_page(self) -> None:
        """Enter in a field of a page, or Enter and Space on a button that has the focus."""
        from ..engine.acts import pages

        live = self.live
        button: Any = live.on_button
        if live.focus is not None:
            submits, button = pages.enters(live.root, live.focus)
            if not submits:
                return
        elif button is True or button.kind == "button":
            return
        elif button.kind == "reset":
            press_reset(live, live.root)
            return
        live.submission.press(live.root, button)

    def _add(self, act: tree.Add) -> None:
        row = rows.step_add(self.live, self.cell(act.address), act.at)
        if act.filled:
            if not isinstance(act.value, dict):
                raise Cannot("a new row is filled with an object", row)
            enter_object(self.live, row, act.value)

    def _panel(self, act: tree.Panel) -> None:
        if act.verb == "open":
            panels.step_open(self.live, act.name.text)
        else:
            panels.step_close(self.live, act.name.text)

    def _submit(self, act: tree.Submit) -> None:
        live = self.live
        whole = panels.panel_of(live, act.panel.text) if act.panel is not None else live.root
        form = whole.plan.form.model
        if form.page is not None:
            from ..engine.acts import pages

            button: Any = pages.find_button(form.page, act.button or "")
        else:
            button = next((b for b in form.buttons if b.name == act.button), None)
        submission = live.submission
        if act.past_checks:
            submission.send(whole, button)
            return
        if submission.last_press == (live.now, live.acts - 1):
            submission.ignore(whole)
            return
        if form.page is not None:
            hands.press_button(live, button)
            pages.need_page_button(live, whole, button)
            submission.press(whole, button)
            return
        hands.press_button(live)
        need_button(live, whole, act.button or "")
        if button is not None and button.past_checks and not submission.is_repeat(whole):
            submission.send(whole, button)
        else:
            submission.press(whole, button)

    def _plain(self, act: tree.Plain) -> None:
        live = self.live
        if act.verb == "return":
            self._return()
            return
        if live.away:
            raise Cannot(f"{act.verb} is not possible: the page has been left")
        if act.verb == "reset":
            button: Any = True
            if live.form.page is not None:
                from ..engine.acts.pages import need_reset

                button = need_reset(live, live.root, live.form.page)
            hands.press_button(live, button)
            press_reset(live, live.root)
        elif act.verb == "dismiss":
            if live.submission.notice is None:
                raise Cannot("there is no notice on show to dismiss")
            live.submission.show_notice(None)
        elif act.verb == "leave":
            hands.blur(live)
            live.record(None, "away", False, True)
            live.away = True
        else:
            self._fresh_page()

    def _return(self) -> None:
        live = self.live
        if not live.away:
            raise Cannot("there is nothing to return from: the page has not been left")
        if live.form.draft == "keep":
            live.record(None, "away", True, False)
            live.away = False
        else:
            self._fresh_page()

    def _fresh_page(self) -> None:
        """The page is loaded again: a fresh form, its initial values from the record as it is now."""
        old = self.live
        live = fresh(self.plan, old.now, old.submission.record)
        live.carry_over(old)
        live.record(live.root, "reload", None, tuple(snapshot(live).items()))
        self.live = live

    def _wait(self, milliseconds: int) -> None:
        advance(self.live, self.live.now + milliseconds)

    def _settle(self, act: tree.Settle) -> None:
        live = self.live
        within = SETTLE if act.within is None else act.within
        advance(live, live.now + within, until=lambda: live.queue.under_way == 0)
        if live.queue.under_way:
            raise Cannot(f"after {write_duration(within)} there is still under way: {', '.join(live.queue.waiting_for()[:5])}")

    def _answer(self, act: tree.Answer) -> None:
        if act.lookup is not None:
            self.live.lookups.script(act.lookup.text, Answered(act.kind, act.value or "", act.after))
            return
        from ..engine.world.server import Answer

        takes = act.after
        if act.kind != "status":
            self.live.submission.scripted.append(Answer(act.kind, takes=takes))
            return
        given = act.value if isinstance(act.value, dict) else {}
        errors = tuple((k, tuple(v) if isinstance(v, list) else (v,)) for k, v in given.get("errors", {}).items())
        notice = _notice(given.get("notice"), act.status)
        self.live.submission.scripted.append(
            Answer("status", act.status, errors, given.get("to", ""), notice, given.get("record"), "record" in given, takes)
        )

    # looking
    def written(self, address: str) -> str:
        form = self.live.form
        name = called(form.shape, address) if form.page is not None else None
        field = form.find((name,)) if name is not None else None
        return field.address if field is not None else address

    def observe(self, noun: Noun, aspect: str) -> Any:
        if noun.kind != "address":
            return self._observe_noun(noun, aspect)
        assert noun.address is not None
        cell = self.find(noun.address)
        return self._observe_cell(cell, aspect)

    def _observe_cell(self, cell: Any, aspect: str) -> Any:
        live = self.live
        if aspect == "value":
            return value_of(cell)
        if aspect == "states":
            return self._states(cell)
        if aspect == "breaks":
            return [c.names for c in cell.plan.checks if cell.broken & c.bit]
        if aspect == "shows":
            return shown_texts(cell) if is_visible(live, cell) else []
        if aspect == "reads":
            return cell.raw
        if aspect in ("offers", "options"):
            from ..engine.judge.choices import offered

            found = [o.value for o in offered(cell)]
            return found if aspect == "offers" else len(found)
        if aspect == "rows":
            return len(cell.parts)
        if aspect == "name":
            return cell.address()
        return rows.why_not(live, cell, aspect.removeprefix("allows "))

    def _states(self, cell: Any) -> dict[str, bool]:
        live = self.live
        whole = isinstance(cell, FormCell)
        found: dict[str, bool] = {}
        for word in FORM_STATES if whole else FIELD_STATES:
            name, wanted = state_test(word, whole)
            if name == "visible":
                value: Any = button_visible(live, cell) if whole else is_visible(live, cell)
            elif name == "enabled":
                value = is_enabled(live, cell)
            elif name == "on" and not isinstance(cell, FieldCell):
                continue
            else:
                value = property_value(cell, name)
            found[word] = value == wanted
        return found

    def _observe_noun(self, noun: Noun, aspect: str) -> Any:
        live, kind = self.live, noun.kind
        submission = live.submission
        if kind in ("submit", "button"):
            visible = button_visible(live, live.root, noun.name or "")
            enabled = button_enabled(live, live.root, noun.name or "")
            return {"visible": visible, "hidden": not visible, "enabled": enabled, "disabled": not enabled}
        if kind == "form":
            return self._observe_cell(live.root, aspect)
        if kind == "outcome":
            return {w: submission.outcome == w for w in ("none", "refused", "waiting", "accepted", "rejected", "lost")}
        if kind == "notice" and aspect == "states":
            return _notice_states(submission.notice)
        if kind == "view":
            known = ["editing", "waiting", *live.form.views, *(a.view for a in live.form.after.values() if a.view)]
            return {v: live.view == v for v in known}
        return self._plain_noun(kind)

    def _plain_noun(self, kind: str) -> Any:
        live = self.live
        submission = live.submission
        sent = submission.requests[-1] if submission.requests else None
        if kind == "values":
            return value_of(live.root)
        if kind == "errors":
            return self._errors()
        if kind == "requests":
            return len(submission.requests)
        if kind == "request":
            return f"{sent.method} {sent.target}" if sent else None
        if kind == "payload":
            return sent.payload if sent else None
        if kind == "body":
            return sent.body if sent else None
        if kind == "location":
            return submission.location
        if kind == "record":
            return submission.record
        if kind == "notice":
            return submission.notice.text if submission.notice is not None else None
        if kind == "focus":
            return [live.focus.address()] if live.focus is not None else []
        return [c.address() for c in (dirty_fields(live) if kind == "dirty" else touched_fields(live))]

    def _errors(self) -> dict[str, list[str]]:
        live = self.live
        return {
            cell.address(): shown_texts(cell)
            for whole in live.wholes.values()
            if whole.open
            for cell in everything(whole)
            if cell.shows and is_visible(live, cell)
        }

    # explaining
    def explain(self, noun: Noun) -> tuple[str, ...]:
        live = self.live
        if noun.kind not in ("address", "form"):
            return ()
        try:
            cell = self.find(noun.address) if noun.address is not None else live.root
        except Missing:
            return ()
        return self.explain_cell(cell)

    def explain_cell(self, cell: Any) -> tuple[str, ...]:
        """The state of *cell* in a line or two."""
        live = self.live
        elapsed = (live.now - live.start) / 1000
        touching = ("reads", "value", "rows", "server", "answer")
        last = next((s for s, _, c, name, _, _ in reversed(live.trace) if name in touching and _within(c, cell)), 0)
        when = f"at {elapsed:.3f} s, {{{last}}}" if last else f"at {elapsed:.3f} s, not changed since load"
        return (*state_lines(live, cell), when)


def _within(cell: Any, top: Any) -> bool:
    while cell is not None and cell is not top:
        cell = cell.up
    return cell is top


def _notice(given: Any, status: int) -> Notice | None:
    if given is None:
        return None
    kind = "success" if status < 400 else "error"
    if isinstance(given, dict):
        from ..forms.values.durations import parse_duration

        return Notice(given.get("text", ""), given.get("kind", kind), parse_duration(str(given["lasts"])) if "lasts" in given else None)
    return Notice(str(given), kind, None)


def _notice_states(notice: Notice | None) -> dict[str, bool]:
    kind = notice.kind if notice is not None else ""
    return {
        **{k: kind == k for k in ("success", "error", "info")},
        "sticky": notice is not None and notice.lasts is None,
    }


