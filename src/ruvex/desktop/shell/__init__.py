"""The window itself: views side by side, menus, files, starting."""
