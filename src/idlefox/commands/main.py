"""The command line: `idlefox COMMAND …`. Each command lives in a module of its own, loaded when it is called."""

from __future__ import annotations

import gc
import sys
from importlib import import_module

# Importing makes many objects and no garbage: collecting as seldom as this is a tenth of the time of starting up.
gc.set_threshold(100_000, 20, 20)

import click  # noqa: E402

from .. import __version__  # noqa: E402
from .faults import LOST, drop_output, internal_fault  # noqa: E402

# name -> (module, what it does)
COMMANDS: dict[str, tuple[str, str]] = {
    "demo": ("demo", "Play the demo of Skerry Line, or leave its files in a folder."),
    "run": ("run", "Play scripts and say what held."),
    "outline": ("outline", "Show what a form holds."),
    "trace": ("trace", "Show one scenario step by step, and what each step changed."),
    "coverage": ("coverage", "Say what the scenarios have exercised of a form, and what they leave out."),
    "weaken": ("weaken", "Plant faults in a form, and say which the scenarios would let through."),
    "probe": ("probe", "Write what a form does at its boundaries, as a script; hold another form to it."),
    "manners": ("manners", "Walk about in a form and say what is rude about it."),
    "compare": ("compare", "Play one suite on two forms and say where they part."),
    "rehearse": ("rehearse", "Play a form by hand, step by step, and keep it as a scenario."),
    "format": ("format", "Lay scripts out in the one way."),
    "lint": ("lint", "Say what is odd in scripts, sheets and pages."),
    "scaffold": ("scaffold", "Write a first sheet and script from a page or a JSON Schema."),
    "serve": ("serve", "Serve a page on loopback, with a sheet as what it asks."),
    "schema": ("schema", "Print the JSON Schema of the form sheet."),
    "language-server": ("language_server", "Help in an editor: an editor starts it."),
    "completion": ("completion", "Print what makes a shell complete what is typed."),
    "words": ("words", "Show the words of scripts and sheets, with examples."),
}


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        known = COMMANDS.get(cmd_name)
        if known is None:
            return None
        found: click.Command = import_module(f"idlefox.commands.{known[0]}").command
        found.short_help = known[1]
        return found

    def resolve_command(self, ctx: click.Context, args: list[str]) -> tuple[str | None, click.Command | None, list[str]]:
        name = args[0] if args else ""
        if name and not name.startswith("-") and name not in COMMANDS and not ctx.resilient_parsing:
            from ..problems import suggestion

            wanted = suggestion(name, COMMANDS, f"the commands are {', '.join(COMMANDS)}")
            if name.partition("#")[0].endswith((".fox", ".form.yaml", ".html")):
                wanted = f"did you mean: idlefox {'run' if name.endswith('.fox') else 'outline'} {name}"
            raise click.UsageError(f"there is no command {name!r}; {wanted}", ctx)
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, text) for name, (_, text) in COMMANDS.items()])


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="idlefox", message="%(prog)s %(version)s")
def cli() -> None:
    """Idle Fox plays what a person does at a form, in virtual time and without a screen, and says what held.

    \b
    Example:
      idlefox demo skerry            leave the demo's files in the folder skerry, and play them
      idlefox run skerry             play every script in the folder
      idlefox run booking.fox:41     play the scenario at line 41
    """


def main() -> None:
    """The entry point of `idlefox`: no traceback ever reaches the person."""
    code = _ended(_command())
    # The process ends: looking through all there is for cycles once more would cost a tenth of a short run.
    gc.freeze()
    sys.exit(code)


def _command() -> int:
    """What the command comes to."""
    code: object = 0
    try:
        code = cli.main(standalone_mode=False, prog_name="idlefox")
    except SystemExit as leave:
        code = leave.code
    except click.exceptions.Exit as leave:
        code = leave.exit_code
    except click.ClickException as fault:
        fault.show()
        code = 2
    except (click.Abort, KeyboardInterrupt):
        click.echo("interrupted", err=True)
        code = 130
    except BrokenPipeError:
        drop_output(sys.stdout)
    except Exception as fault:
        if isinstance(fault, OSError) and fault.filename is None:  # nothing was opened: it is what was printed
            drop_output(sys.stdout)
            LOST.append((fault.strerror or "unknown reason").lower())
        else:
            import traceback

            code = internal_fault(type(fault).__name__, "".join(traceback.format_exception(fault)))
    return code if isinstance(code, int) else 0


def _ended(code: int) -> int:
    """The exit code, once all that was printed has gone where it goes."""
    try:
        sys.stdout.flush()
    except BrokenPipeError:
        drop_output(sys.stdout)
    except OSError as fault:
        drop_output(sys.stdout)
        LOST.append((fault.strerror or "unknown reason").lower())
    if LOST:
        click.echo(f"idlefox: what was printed is lost: {LOST[0]}", err=True)
        return max(code, 2)
    return code


if __name__ == "__main__":
    main()
