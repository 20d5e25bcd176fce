"""Errors in a command line, printed like errors in files: `COMMAND: what is wrong`, then `→` and what to do."""

from __future__ import annotations

import click

from ..problems import CALL, Place, Problem, nearest

# Options renamed since 0.1.
_RENAMED = {
    "--missing": "--unreached", "--under": "--at-least", "--trust-python": "--trust", "--no-trust-python": "--no-trust",
}  # fmt: skip


def usage_problem(fault: click.ClickException) -> Problem:
    """*fault* as a problem of the command it concerns."""
    context = getattr(fault, "ctx", None)
    command = context.command_path if context is not None else "idlefox"
    cause, remedy = _explained(fault, context)
    return Problem(Place(command, 1, 1), cause, remedy or f"see {command} --help", code=CALL)


def _explained(fault: click.ClickException, context: click.Context | None) -> tuple[str, str]:
    if isinstance(fault, click.NoSuchOption):
        return f"unknown option {fault.option_name}", _instead(fault.option_name, context)
    if isinstance(fault, click.MissingParameter):
        name = fault.param.make_metavar(context) if fault.param is not None and context is not None else "an argument"
        return f"{name} is missing", ""
    if isinstance(fault, click.BadParameter) and fault.param is not None and context is not None:
        return f"{fault.param.get_error_hint(context).strip(chr(39))}: {_lowered(fault.message)}", ""
    cause, _, remedy = fault.message.partition("; ")
    return _lowered(cause), remedy


def _lowered(text: str) -> str:
    """*text* in this program's style: no capital at the start, no full stop at the end."""
    text = text.removesuffix(".")
    return text[:1].lower() + text[1:] if text[1:2].islower() else text


def _instead(option: str, context: click.Context | None) -> str:
    params = context.command.params if context is not None else []
    known = [name for param in params for name in (*param.opts, *param.secondary_opts)]
    if _RENAMED.get(option) in known:
        return f"it is {_RENAMED[option]} now"
    near = nearest(option, known)
    return f"did you mean {near}?" if near else ""
