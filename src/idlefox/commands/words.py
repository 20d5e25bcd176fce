"""`idlefox words`: looks up keywords of scripts and sheets."""

from __future__ import annotations

import click

from ..report.words import group_lines, overview_lines, word_lines
from ..words import table
from . import completing
from .console import Console
from .options import color_option


@click.command("words")
@click.argument("word", nargs=-1, shell_complete=completing.words)
@color_option
def command(word: tuple[str, ...], color: str) -> None:
    """Look up keywords of scripts and sheets: all of them, a group, or one with its meaning and an example.

    \b
    Example:
      idlefox words              every keyword
      idlefox words steps        the steps
      idlefox words breaks only  one keyword
    """
    console = Console(color)
    asked, width = " ".join(word), console.width()
    if not asked:
        console.lines(overview_lines(table.words(), width))
        console.lines([[], [("look up one: idlefox words WORD", "dim")]])
        return
    group = asked.lower()
    if group in table.GROUPS:
        console.lines(group_lines(group, table.in_groups(table.words())[group], width))
        return
    found = table.find(asked)
    if not found:
        raise click.ClickException(_no_word(asked))
    for number, each in enumerate(found):
        console.lines([*([[], []] if number else []), *word_lines(each, width)])


def _no_word(asked: str) -> str:
    near = table.near(asked.lower())
    meant = table.said().get(asked.lower()) or (table.said().get(near) if near else None)
    remedy = meant or (f"did you mean {near!r}?" if near else "list them all with: idlefox words")
    return f"unknown keyword {asked!r}\n→ {remedy}"
