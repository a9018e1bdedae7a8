"""How an edit of a setting is named, in the effect line and in the list of what can be undone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, typed
from ruvex.plan import Resource, find_item, format_number, resource_of

SETTING_NAMES: Final = {
    "reservation": "reservation", "limit": "limit", "floor": "floor", "boot": "boot size", "ceiling": "ceiling",
    "size": "size", "shares": "shares", "headroom_percent": "headroom",
}  # fmt: skip


def setting_edit_text(desk: Desk, ids: Sequence[str], key: str, value: float | None) -> str:
    """Name the change of a dial of one item or of several, with its values before and after."""
    resource, setting = resource_of(key), key.partition(".")[2]
    what = f"{NAME[resource]} {SETTING_NAMES[setting]}"
    after = _value_text(desk, ids[0], resource, setting, value)
    if len(ids) > 1:
        return f"{len(ids)} selected: {what} → {after}"
    before = _value_text(desk, ids[0], resource, setting, desk.trial.setting_before(ids[0], key))
    item = find_item(desk.document.plan, ids[0])
    return f"{getattr(item, 'label', ids[0])} {what} {before} → {after}"


def _value_text(desk: Desk, item_id: str, resource: Resource, setting: str, value: float | None) -> str:
    if value is None:
        return "none"
    if setting == "shares":
        return format_number(value) if value == int(value) else f"{value:g}"
    return f"{value:g} %" if setting == "headroom_percent" else typed(value, desk.units.of(resource, item_id))
