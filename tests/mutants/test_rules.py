"""The list of rules that are broken fits the code: each stands where it says, once, and is broken into code."""

from __future__ import annotations

import ast
import unittest

from tests.demo import ROOT
from tests.mutants.rules import RULES

LEAST = 120


class Rules(unittest.TestCase):
    """What ``scripts/mutants`` goes through."""

    def test_each_rule_stands_once_where_it_says(self) -> None:
        """Whoever rewrites a rule rewrites how it is broken."""
        self.assertGreaterEqual(len(RULES), LEAST)
        self.assertEqual(len({rule.name for rule in RULES}), len(RULES))
        for rule in RULES:
            with self.subTest(rule=rule.name):
                text = (ROOT / "src" / "ruvex" / rule.path).read_text(encoding="utf-8")
                self.assertEqual(text.count(rule.text), 1)
                self.assertNotEqual(rule.text, rule.broken)
                ast.parse(text.replace(rule.text, rule.broken))
                for name in rule.near:
                    self.assertTrue((ROOT / "tests" / f"{name.replace('.', '/')}.py").is_file(), name)
