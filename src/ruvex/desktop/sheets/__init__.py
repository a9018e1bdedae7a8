"""Side sheets: settings that need more room than the dials, beside the rows and never over them."""

from ruvex.desktop.sheets.side_sheet import SideSheet

__all__ = ["SideSheet"]
