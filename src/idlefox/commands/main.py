"""The command line: `idlefox COMMAND …`. Each command is a module that is imported when it is called."""

from __future__ import annotations

import gc
import os
import sys
from importlib import import_module

# Importing makes many objects and no garbage: collecting as seldom as this is a tenth of the time of starting up.
gc.set_threshold(100_000, 20, 20)

import click  # noqa: E402

from .. import __version__  # noqa: E402
from ..playing import collector  # noqa: E402
from .internal_faults import LOST, drop_output, internal_fault, stand_in_for_closed_streams  # noqa: E402

# name -> (module, description)
COMMANDS: dict[str, tuple[str, str]] = {
    "demo": ("demo", "Run the Skerry Line demo, or copy its files into a folder."),
    "run": ("run", "Run scripts and report which scenarios passed."),
    "outline": ("outline", "List a form's fields, rules and messages."),
    "trace": ("trace", "Show what each step of a scenario changed."),
    "coverage": ("coverage", "Show which parts of a form the scenarios reach."),
    "weaken": ("weaken", "Plant faults in a form and show which ones the scenarios notice."),
    "probe": ("probe", "Write a script of a form's behaviour at its limits."),
    "manners": ("manners", "Explore a form and report bad manners."),
    "compare": ("compare", "Run one suite on two forms and show where they differ."),
    "rehearse": ("rehearse", "Try a form interactively and save the steps as a scenario."),
    "rename": ("rename", "Rename a field, lookup, panel or view in its sheet and every script."),
    "format": ("format", "Format scripts."),
    "lint": ("lint", "Find mistakes in scripts, sheets and pages."),
    "scaffold": ("scaffold", "Write a starter sheet and script from a page or JSON Schema."),
    "serve": ("serve", "Serve a sheet on localhost, as a page or as a page's backend."),
    "schema": ("schema", "Print the JSON Schema of sheets or of a JSON report."),
    "language-server": ("language_server", "Run the language server; your editor starts it."),
    "completion": ("completion", "Print a shell completion script."),
    "words": ("words", "Look up keywords of scripts and sheets."),
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

            wanted = suggestion(name, COMMANDS, "see idlefox --help")
            if name.partition("#")[0].endswith((".fox", ".form.yaml", ".html")):
                wanted = f"did you mean: idlefox {'run' if name.endswith('.fox') else 'outline'} {name}"
            raise click.UsageError(f"unknown command {name!r}; {wanted}", ctx)
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, text) for name, (_, text) in COMMANDS.items()])


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="idlefox", message="%(prog)s %(version)s")
def cli() -> None:
    """Script what a person does in a web form and check the result, headlessly and in virtual time.

    \b
    Example:
      idlefox demo skerry            copy the demo's files into the folder skerry and run them
      idlefox run skerry             run every script in the folder
      idlefox run booking.fox:41     run the scenario at line 41
    """


def main() -> None:
    """The entry point of `idlefox`: no traceback ever reaches the person."""
    collector.own_process()
    stand_in_for_closed_streams()
    code = _ended(_command())
    # The process ends here: a last collection of cycles would take a tenth of a short run.
    gc.freeze()
    sys.exit(code)


def _command() -> int:
    """Run the command and return its exit code."""
    code: object = 0
    if os.environ.get("_IDLEFOX_COMPLETE") and not os.environ.get("COMP_CWORD", "0").isdecimal():
        click.echo("idlefox: COMP_CWORD must be a number; a shell sets it", err=True)
        return 2
    try:
        code = cli.main(standalone_mode=False, prog_name="idlefox")
    except SystemExit as leave:
        code = leave.code
    except click.exceptions.Exit as leave:
        code = leave.exit_code
    except click.ClickException as fault:
        _print_usage_error(fault)
        code = 2
    except (click.Abort, KeyboardInterrupt):
        click.echo("interrupted", err=True)
        code = 130
    except BrokenPipeError:
        drop_output(sys.stdout)
    except Exception as fault:
        if isinstance(fault, OSError) and fault.filename is None:  # no file was opened, so it is the output
            drop_output(sys.stdout)
            LOST.append((fault.strerror or "unknown reason").lower())
        else:
            import traceback

            code = internal_fault(type(fault).__name__, "".join(traceback.format_exception(fault)))
    return code if isinstance(code, int) else 0


def _print_usage_error(fault: click.ClickException) -> None:
    from .console import Console
    from .usage import usage_problem

    Console().problems([usage_problem(fault)])


def _ended(code: int) -> int:
    """Flush the output and return the final exit code."""
    try:
        sys.stdout.flush()
    except BrokenPipeError:
        drop_output(sys.stdout)
    except OSError as fault:
        drop_output(sys.stdout)
        LOST.append((fault.strerror or "unknown reason").lower())
    if LOST:
        try:
            click.echo(f"idlefox: some output could not be written: {LOST[0]}", err=True)
        except OSError:
            drop_output(sys.stderr)
        return max(code, 2)
    return code


if __name__ == "__main__":
    main()
