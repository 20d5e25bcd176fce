"""The request that submitting a form of a sheet makes now."""

from __future__ import annotations

import json

from ...forms.model.form import Button
from ...forms.values.values import stringify
from ..state.cells import FormCell
from .encode import (
    EncodedRequest,
    decode_multipart,
    decode_plain_text,
    decode_urlencoded,
    entry_list,
    json_payload,
    multipart,
    plain_text,
    urlencoded,
)


def sheet_request(form: FormCell, button: Button | None) -> EncodedRequest:
    """The request that submitting *form* by *button* (None: the form's own) makes now."""
    submit = form.plan.form.model.submit
    values = json_payload(form, button)
    if submit.method == "GET":
        query = urlencoded(entry_list(form, "", button))
        return EncodedRequest("GET", f"{submit.to.partition('?')[0]}?{query}", "", "", decode_urlencoded(query), values)
    if submit.send == "json":
        body = stringify(values)
        return EncodedRequest("POST", submit.to, body, "application/json", json.loads(body), values)
    entries = entry_list(form, "", button)
    if submit.send == "urlencoded":
        body = urlencoded(entries)
        return EncodedRequest("POST", submit.to, body, "application/x-www-form-urlencoded", decode_urlencoded(body), values)
    if submit.send == "multipart":
        body, boundary = multipart(entries)
        media_type = f"multipart/form-data; boundary={boundary}"
        return EncodedRequest("POST", submit.to, body, media_type, decode_multipart(body, boundary), values)
    body = plain_text(entries)
    return EncodedRequest("POST", submit.to, body, "text/plain", decode_plain_text(body), values)
