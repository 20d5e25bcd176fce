"""The request that submitting a form makes now, be it a sheet's or a page's."""

from __future__ import annotations

import json
from typing import Any

from .encode import (
    Sent,
    decode_multipart,
    decode_plain_text,
    decode_urlencoded,
    entry_list,
    json_payload,
    multipart,
    plain_text,
    urlencoded,
)
from .page_request import page_request


def request_of(whole: Any, button: Any) -> Sent:
    """The request that submitting the form *whole* makes now."""
    if whole.plan.form.model.page is not None:
        return page_request(whole, button)
    submit = whole.plan.form.model.submit
    values = json_payload(whole, button)
    if submit.method == "GET":
        query = urlencoded(entry_list(whole, "", button))
        return Sent("GET", f"{submit.to.partition('?')[0]}?{query}", "", "", decode_urlencoded(query), values)
    if submit.send == "json":
        body = json.dumps(values, ensure_ascii=False)
        return Sent("POST", submit.to, body, "application/json", json.loads(body), values)
    entries = entry_list(whole, "", button)
    if submit.send == "urlencoded":
        body = urlencoded(entries)
        return Sent("POST", submit.to, body, "application/x-www-form-urlencoded", decode_urlencoded(body), values)
    if submit.send == "multipart":
        body, boundary = multipart(entries)
        media_type = f"multipart/form-data; boundary={boundary}"
        return Sent("POST", submit.to, body, media_type, decode_multipart(body, boundary), values)
    body = plain_text(entries)
    return Sent("POST", submit.to, body, "text/plain", decode_plain_text(body), values)
