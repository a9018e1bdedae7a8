"""What the window shows and changes, without a widget: the plan, the look, the play, the units."""
