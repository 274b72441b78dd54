"""A layout as the place Circuit sends it back."""

from typing import Any


def drawing(found: dict[str, Any], **changes: Any) -> dict[str, Any]:
    layout = found["layout"]
    sectors = next(item for item in found["sets"] if item["id"] == found["sector_set"])
    return {
        "base": found["version"]["id"],
        "sector_set": found["sector_set"],
        "corners": [{k: c[k] for k in ("name", "entry_m", "apex_m", "exit_m")} for c in layout["corners"]],
        "borders": [p["from_m"] for p in layout["passages"]],
        "splits": sectors["splits"],
        **changes,
    }
