"""Parts of the window that know no plan: theme, texts, axes, bars, fields, notices."""
