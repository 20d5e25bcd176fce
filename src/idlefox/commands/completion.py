"""`idlefox completion`: prints a shell completion script."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

_HOW = {
    "bash": "in ~/.bashrc:  eval \"$(idlefox completion bash)\"",
    "zsh": "in ~/.zshrc, after compinit:  eval \"$(idlefox completion zsh)\"",
    "fish": "once:  idlefox completion fish > ~/.config/fish/completions/idlefox.fish",
}  # fmt: skip


@click.command("completion")
@click.argument("shell", type=click.Choice(list(_HOW)))
@click.pass_context
def command(ctx: click.Context, shell: str) -> None:
    """Print a script that completes commands, options, paths, FILE:LINE, tags, addresses, codes and keywords.

    \b
    Example:
      eval "$(idlefox completion bash)"
      idlefox completion fish > ~/.config/fish/completions/idlefox.fish
    """
    made = get_completion_class(shell)
    assert made is not None
    root = ctx.find_root()
    text = made(root.command, {}, "idlefox", "_IDLEFOX_COMPLETE").source()
    if shell == "bash":
        # booking.fox:41 is one word.
        text = f'COMP_WORDBREAKS="${{COMP_WORDBREAKS//:/}}"\n{text}'
    click.echo(f"# {_HOW[shell]}\n{text}")
