"""The report: what each owner has, the site on a page, what is worth a look, for those who paid and for the boss."""

from ruvex.report._page import REPORT_SUFFIXES, write_report
from ruvex.report._report import Report, report_of

__all__ = ["REPORT_SUFFIXES", "Report", "report_of", "write_report"]
