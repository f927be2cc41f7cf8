"""Files dropped on a window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMimeData


def dropped_file(data: QMimeData | None) -> Path | None:
    """The one file of this computer that was dropped; None for anything else, several files included."""
    urls = data.urls() if data is not None and data.hasUrls() else []
    text = urls[0].toLocalFile() if len(urls) == 1 else ""
    return Path(text) if text else None
