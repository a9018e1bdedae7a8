"""Schedules measured on a real kernel."""
