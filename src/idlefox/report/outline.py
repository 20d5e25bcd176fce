"""The content of a form, printed: fields, types, initial values, rules, messages, conditions, server."""

from __future__ import annotations

from typing import Any

from ..forms.expressions import Expression
from ..forms.model.form import Field, Form, OptionsFrom, Report, Rule, written_path
from ..forms.model.messages import stock_text
from ..forms.values.durations import write_duration
from ..forms.values.values import written
from .styled import Line, columns, hanging, plain

_INDENT = 4
_LONGEST = 1000


def outline_lines(form: Form, width: int) -> list[Line]:
    """The whole outline of *form*, panels included."""
    lines: list[Line] = [[(plain(form.id), "strong"), (f"   {plain(form.label)}" if form.label != form.id else "", "")]]
    lines.append([(plain(_counts(form)), "dim")])
    lines += _facts(_form_facts(form), width, 1)
    for field in form.fields:
        lines += field_lines(field, form, width)
    if form.rules:
        lines += [[], [("rules of the form", "strong")]]
        for rule in form.rules:
            lines += _facts(_rule_facts(rule, form), width, 1)
    lines += _server(form, width)
    for panel in form.panels:
        lines += [[], [("panel ", "dim"), (plain(panel.panel), "strong")]]
        lines += [[(" " * 2, ""), *line] if line else line for line in outline_lines(panel, width - 2)[1:]]
        if panel.gives is not None:
            what = f"{panel.gives.value} as an option" if panel.gives.kind == "option" else "its values as a row"
            lines += _facts([("gives", f"{what} to {written_path(panel.gives.to)}")], width, 1)
    return lines


def _counts(form: Form) -> str:
    kinds = [f.kind for f in form.walk()]
    groups, lists = kinds.count("group"), kinds.count("rows")
    parts = [(len(kinds) - groups - lists, "field"), (groups, "group"), (lists, "list of rows")]
    rules = sum(len(r.kinds) for f in form.walk() for r in f.rules) + sum(len(r.kinds) for r in form.rules)
    texts = [f"{n} {name if n == 1 else 'lists of rows' if name.startswith('list') else name + 's'}" for n, name in parts if n]
    return ", ".join([*texts, f"{rules} rule{'s' if rules != 1 else ''}"])


def _form_facts(form: Form) -> list[tuple[str, str]]:
    facts = [("reports", _reports(form.report))]
    if form.reveal.text != "true":
        facts.append(("reveals", f"when {form.reveal.text}"))
    if form.messages != "one":
        facts.append(("messages", "all broken rules"))
    if form.dirty != "compare":
        facts.append(("dirty", "once changed, even if changed back"))
    if form.draft == "keep":
        facts.append(("draft", "kept when the page is left"))
    return facts


def field_lines(field: Field, form: Form, width: int, depth: int = 0) -> list[Line]:
    """Return a field with its facts and rules, and its children."""
    name = field.address if not form.panel else written_path(field.path[1:])
    kind = field.kind + (", several" if field.many or (field.multiple and field.kind in ("file", "email")) else "")
    head: Line = [(plain(name), "strong"), ("   " + kind, "dim")]
    if field.label:
        head.append((f"   {plain(field.label)}", ""))
    lines: list[Line] = [[], _shift(head, depth)]
    facts = _field_facts(field, form)
    lines += _facts(facts, width, depth + 1)
    for rule in field.rules:
        lines += _facts(_rule_facts(rule, form, field.kind), width, depth + 1)
    for part in field.fields:
        lines += field_lines(part, form, width, depth + 1)
    return lines


def _shift(line: Line, depth: int) -> Line:
    return [(" " * (_INDENT * depth), ""), *line] if depth else line


def _field_facts(field: Field, form: Form) -> list[tuple[str, str]]:
    facts = _values_of(field)
    if field.native is not None:
        facts += _native_facts(field)
    facts += _conditions_of(field)
    if field.trim or field.case:
        facts.append(("on blur", " and ".join((["trimmed"] if field.trim else []) + ([f"made {field.case} case"] if field.case else []))))
    if field.limit is not None:
        facts.append(("takes", f"{field.limit} characters at most"))
    if field.derive is not None:
        facts.append(("derived", f"{'always' if field.derive.when == 'always' else 'on focus'} from {field.derive.source.text}"))
    if not field.send or field.send_name:
        facts.append(("sent", f"as {field.send_name}" if field.send else "never"))
    if field.report != form.report:
        facts.append(("reports", _reports(field.report)))
    return facts


def _values_of(field: Field) -> list[tuple[str, str]]:
    facts: list[tuple[str, str]] = []
    if field.has_initial and not (field.native is not None and field.initial in ("", None, [])):
        facts.append(("initial", written(field.initial)))
    if isinstance(field.options, OptionsFrom):
        facts.append(("offers", f"the rows of {written_path(field.options.path)}: {field.options.value}"))
    elif field.options is not None:
        facts.append(("offers", ", ".join(written(o.value) + _when(o.enabled) for o in field.options)))
    return facts


def _conditions_of(field: Field) -> list[tuple[str, str]]:
    facts: list[tuple[str, str]] = []
    for name, condition in (("visible", field.visible), ("enabled", field.enabled), ("readonly", field.readonly)):
        if condition is not None and (field.native is None or condition.text not in ("true", "false")):
            always = {"true": "always", "false": "never"}
            facts.append((name, always.get(condition.text, f"when {condition.text}")))
    if field.forget_when_hidden:
        facts.append(("hidden", "forgets its value"))
    if field.kind == "rows":
        facts.append(("rows", _bounds(field)))
        facts += [(n, f"when {c.text}") for n, c in (("add", field.add), ("remove", field.remove)) if c is not None]
    return facts


def _reports(report: Report) -> str:
    return f"first on {report.first}, then on {report.again}" if report.first != report.again else f"on {report.first}"


def _when(condition: Expression | None) -> str:
    if condition is None:
        return ""
    return " (disabled)" if condition.text == "false" else f" (when {condition.text})"


def _native_facts(field: Field) -> list[tuple[str, str]]:
    """Return the facts about a field that only the markup of a page has."""
    native = field.native
    facts = [(n, t) for n, t in (("disabled", native.disabled), ("hidden", native.hidden)) if t]
    if native.barred and native.barred != native.disabled and field.kind != "hidden":
        facts.append(("not checked", native.barred))
    if native.span is not None:
        low, high, step, _ = native.span
        facts.append(("slides", f"from {low} to {high}, {f'in steps of {step}' if step is not None else 'in any step'}"))
    if native.suggests:
        facts.append(("suggests", ", ".join(map(written, native.suggests))))
    if native.described:
        facts.append(("described", f"“{native.described}”"))
    return facts


def _bounds(field: Field) -> str:
    start = field.start if field.start is not None else field.least
    most = f", {field.most} at most" if field.most is not None else ""
    return f"{start} at load, {field.least} at least{most}"


def _rule_facts(rule: Rule, form: Form, of: str = "") -> list[tuple[str, str]]:
    facts: list[tuple[str, str]] = []
    for kind in rule.kinds:
        parameter = _parameter(kind.parameter)
        message = rule.say or form.texts.get(kind.name)
        text = f"“{message.text}”" if message is not None else f"“{stock_text(kind.name, of)}”  (stock)"
        extra = f" when {rule.when.text}" if rule.when is not None else ""
        extra += f" shown at {written_path(rule.at)}" if rule.at is not None else ""
        name = f"{rule.id} ({kind.name})" if rule.id else kind.name
        facts.append((name, "  ".join(p for p in (parameter, extra.strip(), text) if p)))
    return facts


def _parameter(parameter: Any) -> str:
    if parameter is True:
        return ""
    if isinstance(parameter, Expression):
        return parameter.text
    if isinstance(parameter, tuple):
        return written(list(parameter))
    return str(parameter)


def _facts(facts: list[tuple[str, str]], width: int, depth: int) -> list[Line]:
    lines: list[Line] = []
    for name, text in facts:
        if len(text) > _LONGEST:
            text = f"{text[:_LONGEST]}… ({len(text):,} characters)"
        head = " " * (_INDENT * depth) + plain(name).ljust(13) + " "
        if columns(head) > width // 2:
            head = " " * (_INDENT * depth) + plain(name) + " "
        lines += hanging(head, plain(text), width)
    return lines


def _page_facts(page: Any) -> list[tuple[str, str]]:
    """The buttons of a page, and how its form is sent."""
    facts: list[tuple[str, str]] = []
    if page.method == "DIALOG":
        facts.append(("sends", "nothing: the dialog closes" if page.dialog else "nothing: there is no dialog around it to close"))
    if page.novalidate:
        facts.append(("novalidate", "no checks before it is sent"))
    if page.charset != "UTF-8":
        facts.append(("charset", page.charset))
    for each in page.buttons:
        words = [written(each.text)] if each.text else []
        words += [k for k in each.known if k != each.text]
        more = [each.kind] if each.kind != "submit" else []
        more += ["the default button"] if each is page.default_button else []
        more += [f"to {each.action}"] if each.action is not None else []
        more += [f"by {each.method}"] if each.method is not None else []
        more += [f"as {each.send}"] if each.send is not None else []
        more += ["without checks"] if each.novalidate else []
        more += [t for t in (each.disabled, each.hidden) if t]
        facts.append(("button", "  ".join([" ".join(words), ", ".join(more)]).strip()))
    if page.default_button is None:
        facts.append(("button", "none that submits; Enter in a field does" if page.blocking == 1 else "none that submits"))
    return facts


def _server(form: Form, width: int) -> list[Line]:
    submit, server = form.submit, form.server
    lines: list[Line] = [[], [("submission", "strong")]]
    facts = [("sends", f"{submit.method} {submit.to} as {submit.send}")] if submit.method != "DIALOG" else []
    if form.page is not None:
        facts += _page_facts(form.page)
    if submit.enabled is not None:
        facts.append(("enabled", f"when {submit.enabled.text}"))
    if submit.while_busy != "open":
        facts.append(("while busy", submit.while_busy))
    facts += [("button", b.name + (f", enabled when {b.enabled.text}" if b.enabled else "")) for b in form.buttons]
    facts += [("lookup", f"{name}, takes {write_duration(each.takes)}") for name, each in form.lookups.items()]
    if server.takes:
        facts.append(("answers", f"after {write_duration(server.takes)}"))
    lines += _facts(facts, width, 1)
    for rule in server.rules:
        lines += _facts(_rule_facts(rule, form), width, 1)
    for reply in server.replies:
        when = f"when {reply.when.text}" if reply.when is not None else "otherwise"
        errors = "; ".join(f"{a or 'form'}: {' '.join(t)}" for a, t in reply.errors)
        lines += _facts([(str(reply.status), f"{when}{'  ' + errors if errors else ''}")], width, 1)
    after = [
        (outcome, ", ".join(p for p in (
            f"view {a.view}" if a.view else "", f"values {a.values}", f"forgets {', '.join(a.forget)}" if a.forget else "",
            f"notice “{a.notice.text}”" if a.notice else "",
        ) if p))
        for outcome, a in form.after.items()
    ]  # fmt: skip
    return lines + _facts(after, width, 1)
