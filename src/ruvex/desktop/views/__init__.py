"""The views of the window, one folder each."""
