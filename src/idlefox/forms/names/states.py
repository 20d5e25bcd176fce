"""The words for states, and which property of a field or form each one asks about."""

from __future__ import annotations

# word -> (property, its value)
FIELD_STATES: dict[str, tuple[str, object]] = {
    "valid": ("validity", "valid"), "invalid": ("validity", "invalid"),
    "asking": ("validity", "asking"), "unasked": ("validity", "unasked"),
    "clean": ("dirty", False), "dirty": ("dirty", True),
    "touched": ("touched", True),
    "focused": ("focused", True),
    "enabled": ("enabled", True), "disabled": ("enabled", False),
    "visible": ("visible", True), "hidden": ("visible", False),
    "required": ("required", True), "optional": ("required", False),
    "readonly": ("readonly", True),
    "empty": ("empty", True), "filled": ("empty", False),
    "on": ("on", True), "off": ("on", False),
    "marked": ("marked", True),
}  # fmt: skip
FORM_ONLY: dict[str, tuple[str, object]] = {
    "busy": ("busy", True), "idle": ("busy", False), "attempted": ("attempted", True),
}  # fmt: skip
FORM_STATES: dict[str, tuple[str, object]] = {
    **{w: FIELD_STATES[w] for w in (
        "valid", "invalid", "asking", "unasked", "clean", "dirty", "touched", "focused", "marked",
        "enabled", "disabled", "visible", "hidden", "empty", "filled",
    )},
    **FORM_ONLY,
}  # fmt: skip
