"""Rules of turns: who goes next, limits by period, sleep and waking, fellows, what is counted, waits in closed form."""

from __future__ import annotations

from typing import Final

from tests.mutants.rule import Rule

_TURNS: Final = ("cores.test_turns", "cores.test_questions", "kernel.test_cases")
_CHANCE: Final = ("cores.test_chance",)

# fmt: off
RULES: Final = (
    Rule("the last thread is taken if it is idle", "engine/_turn_steps.py",
         "    if last >= 0 and on[last] < 0 and allowed[row, last] > 0:\n        return last\n", "", _TURNS),
    Rule("a thread at home comes first", "engine/_turn_steps.py",
         "rank = 0 if homes[vcpu] < 0 or homes[vcpu] == node_of[thread] else 4", "rank = 0", _TURNS),
    Rule("a thread of an idle core comes before one of a busy core", "engine/_turn_steps.py",
         "rank += 2 * has_busy_sibling(thread, on, width)", "rank += 0", _TURNS),
    Rule("who wakes does not cut in on a first turn that is in time", "engine/_turn_steps.py",
         "                if is_in_time and others < floats[t.V_SAFE, other] - SAME:\n                    "
         "continue\n", "", _TURNS),
    Rule("who wakes cuts in on the one furthest ahead", "engine/_turn_steps.py",
         "if (is_owed or wins) and ahead > most:", "if is_owed or wins:", _TURNS),
    Rule("a budget is renewed each period", "engine/_turn_steps.py",
         "floats[t.V_LEFT, party] = min(budget, floats[t.V_LEFT, party] + budget)",
         "floats[t.V_LEFT, party] = budget", _TURNS),
    Rule("promises count anew in each period", "engine/_turn_steps.py", "        floats[t.V_SERVED, party] = 0.0\n",
         "", _TURNS),
    Rule("a spent budget takes all below off", "engine/_turn_steps.py", "            ints[t.P_SPENT, party] = 1\n",
         "", _TURNS),
    Rule("sleep is not being behind one's fellows", "engine/_turn_steps.py",
         "        numbers[t.C_PROGRESS, vcpu] = max(numbers[t.C_PROGRESS, vcpu], least)", "        pass", _TURNS),
    Rule("a guest with more vCPUs than threads never runs together", "engine/_turn_steps.py",
         "    return last - first > room", "    return False", _TURNS),
    Rule("who is held back goes on once it is a millisecond less ahead", "engine/_turn_steps.py", "_EASE_MS = 1.0",
         "_EASE_MS = 4.0", _TURNS),
    Rule("a thread is kept for those who must run at once", "engine/_turn_steps.py",
         "not _fits(guest, ints, vcpus, allowed, on):", "False:", _TURNS),
    Rule("each goes on where it was, if it can", "engine/_turn_steps.py",
         "            if step == 0 and not goes_on:\n                continue\n", "", _TURNS),
    Rule("a pool's turn is measured only with one vCPU on a thread", "engine/_turn_steps.py",
         "(is_vcpu or ints[t.P_ON_THREADS, party] == 1)", "(is_vcpu or True)", _TURNS),
    Rule("bursts that vary are exponential", "engine/_turn_parts.py",
         "return -mean * math.log(1.0 - chance(seeds, vcpu))", "return 2.0 * mean * chance(seeds, vcpu)", _TURNS),
    Rule("where promises come on top, what runs by them does not count", "engine/_turns.py",
         "on_top = how[0], how[2], how[3], int(how[4]), how[6] > 0.0",
         "on_top = how[0], how[2], how[3], int(how[4]), False", _TURNS),
    Rule("threads of one core share it", "engine/_turns.py",
         "speeds[1] if has_busy_sibling(thread, on, width) else speeds[0]", "speeds[0]", _TURNS),
    Rule("what lies before the window is not counted", "engine/_turns.py",
         "                    numbers[row, vcpu] = 0.0\n", "                    pass\n", _TURNS),
    Rule("those who run together end together", "engine/_turns.py", "if other == thread or is_with:",
         "if other == thread:", _TURNS),
    Rule("one that is too far ahead of its fellows is held", "engine/_turns.py",
         "if ahead >= how[5] - 2.0 * LEAST_MS:", "if ahead >= 1e9:", _TURNS),
    Rule("who leaves keeps what it was behind, within bounds", "engine/_queue.py",
         "min(max(mean - floats[t.V_TIME, party], -most / weight), most / weight)", "mean - floats[t.V_TIME, party]",
         _TURNS),
    Rule("who sleeps ahead of others stays weighed in", "engine/_queue.py", "if behind < 0.0 and sleeps and weights",
         "if behind < -1e9 and weights", _TURNS),
    Rule("who comes back is as far behind as it was, whatever its weight makes of the mean", "engine/_queue.py",
         "floats[t.V_LAG, party] * (weights + weight) / weights if", "floats[t.V_LAG, party] if", _TURNS),
    Rule("one whose promise is not met goes before all", "engine/_queue.py",
         "        if promised >= 0:\n            return promised\n", "", _TURNS),
    Rule("none that is ahead of the others goes while one is not", "engine/_queue.py",
         "if its <= mean + SAME and (best < 0", "if (best < 0", _TURNS),
    Rule("of those that may go, the one due first goes", "engine/_queue.py", "its_due < due - SAME or (best",
         "its_due > due + SAME or (best", _TURNS),
    Rule("with more threads to cut in on, the light are nearer to being first", "engine/_chance.py",
         "_TAKING_TURNS = -0.4", "_TAKING_TURNS = -0.1", _CHANCE),
    Rule("second threads give a part of a core", "engine/_chance.py", "smt_yield * max(min(n, threads) - cores, 0)",
         "max(min(n, threads) - cores, 0)", _CHANCE),
    Rule("who waits stays: those who want to run pile up", "engine/_chance.py",
         "            weight *= n / min(n, threads)\n", "            weight *= 1.0\n", _CHANCE),
)
# fmt: on
