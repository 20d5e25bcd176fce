"""The events of a page: requests and their answers, console lines, changes of the document."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from ...playing.subject import PageEvent
from ..messages import target_of
from ..servers.backend import Submission
from .browsing_context import BrowsingContext


class PageEvents:
    """Remembers what has been reported already."""

    def __init__(self) -> None:
        self._begun: set[str] = set()
        self._over: set[str] = set()
        self._console = 0
        self._document = ""
        self._batches = 0

    def since(
        self, happened: dict[str, Any], page: BrowsingContext, submissions: Sequence[Submission], start: int
    ) -> tuple[PageEvent, ...]:
        """Return the events since the last call: the agent's report of what has *happened*, the console, and the *submissions*.

        *start* is the time of the load.
        """
        now = page.now - start
        lines = [PageEvent("console", now, text) for text in page.console[self._console :]]
        self._console = len(page.console)
        return (
            *self._requests(happened, now, start), *self._navigations(submissions, now), *lines, *self._changed(happened, now)
        )  # fmt: skip

    def _requests(self, happened: dict[str, Any], now: int, start: int) -> Iterator[PageEvent]:
        """The requests of the page's scripts."""
        for each in happened["requests"]:
            number = f"{happened['document']}/{each['id']}"
            line = f"{each['method']} {target_of(each['url'])}"
            began, ended = (now if at is None else at - start for at in (each["at"], each["ended"]))
            if number not in self._begun:
                self._begun.add(number)
                yield PageEvent("request", began, f"{line} {each['body']}" if each["body"] else line, number)
            if each["over"] and number not in self._over:
                self._over.add(number)
                yield PageEvent("answer", ended, f"{became(each)} to {line}", number, each["status"] or "lost")

    def _navigations(self, submissions: Sequence[Submission], now: int) -> Iterator[PageEvent]:
        """The forms that the browser sent itself."""
        for i, each in enumerate(submissions):
            if not each.request.navigates:
                continue
            number, line = f"form {i}", f"{each.request.method} {each.request.target}"
            if number not in self._begun:
                self._begun.add(number)
                body = each.request.body.decode("utf-8", "replace")
                yield PageEvent("request", now, f"{line} {body}" if body else line, number)
            if each.status and number not in self._over:
                self._over.add(number)
                status = each.status if each.status > 0 else "lost"
                yield PageEvent("answer", now, f"{status} to {line}", number, status)

    def _changed(self, happened: dict[str, Any], now: int) -> Iterator[PageEvent]:
        """Another document, or the number of tasks in which this one changed."""
        if self._document and self._document != happened["document"]:
            yield PageEvent("document", now, f"loaded: {target_of(happened['at'])}")
        elif (count := happened["batches"] - self._batches) and self._document:
            yield PageEvent("document", now, f"changed {count} time{'' if count == 1 else 's'}")
        self._document, self._batches = happened["document"], happened["batches"]


def became(request: dict[str, Any]) -> str:
    """Return the status of a request's answer in words."""
    return str(request["status"] or "lost") if request["over"] else "without an answer"
