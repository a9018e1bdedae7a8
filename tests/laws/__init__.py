"""Laws that hold on every plan: see docs/reliability.md."""
