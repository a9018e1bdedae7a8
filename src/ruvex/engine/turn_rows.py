"""The rows of the arrays of vCPUs on threads; one name a row. Times are in ms unless it says otherwise.

What competes for the threads of a host is a *party*: its root, pools, guests, and vCPUs as the last.
"""

from __future__ import annotations

# What is known of every party.
(
    V_WEIGHT_OF, V_TIME, V_SINCE, V_LAG, V_DUE, V_SAFE, V_BUDGET, V_LEFT, V_RESERVED, V_SERVED, V_MEAN,
) = range(11)  # fmt: skip
"""Its weight; its virtual time (ms by weight) and since when (ms) that grows as its threads run; how far it was behind
when it left; the virtual time at which its turn is due, and up to which it may not be cut in on; work it may have in a
period and has left in this one, is promised in a period and has had in this one (ms of a thread at full speed); the
last mean of its members' virtual times."""
PARTY_FLOATS = 11
(
    P_ABOVE, P_FIRST_MEMBER, P_LAST_MEMBER, P_FIRST_VCPU, P_LAST_VCPU, P_ON_THREADS, P_READY, P_IN_LINE, P_SPENT,
    P_IS_VCPU, P_IS_GUEST, P_BY_PROMISE,
) = range(12)  # fmt: skip
"""The party above; its members and its vCPUs, each from the first to before the last; how many vCPUs run and how many
could; whether it stands in line (2: it sleeps, but in debt); whether its budget is spent; what it is; how many vCPUs
run by promise without its virtual time growing."""
PARTY_INTS = 12
OUT_OF_LINE, IN_LINE, IN_DEBT = range(3)

# What is known of every vCPU, ms.
(
    C_BURST_LEFT, C_STATE_SINCE, C_READY_SINCE, C_BURST_MS, C_SLEEP_MS, C_WAKES_AT, C_PROGRESS, C_RAN, C_WAITED,
    C_WAS_HELD, C_WAS_SPENT, C_SLEPT, C_WORKED,
) = range(13)  # fmt: skip
"""``C_PROGRESS`` is what it has run since the start, for its fellows; from ``C_RAN`` on what is counted in the window;
``C_WORKED`` is its run in ms of a thread at full speed."""
VCPU_FLOATS = 13
C_STATE, C_THREAD, C_PARTY, C_BY_WAKE, C_DEMAND, C_RULE, C_ALLOWED, C_TOP = range(8)
"""``C_RULE`` is the party of its guest, ``C_TOP`` the one right below the root (written by the run), ``C_ALLOWED`` the
row of the threads it may run on."""
VCPU_INTS = 8
ASLEEP, ON_THREAD, WAITING, SPENT, HELD = range(5)
ALWAYS, EXPONENTIAL, EVEN = range(3)

# How the vCPUs of a guest keep to each other.
OWN, LEAD, TOGETHER = range(3)

# Why a turn ended.
SLEPT, TURN_OVER, CUT_IN_ON, HELD_BACK, BUDGET_SPENT, WINDOW_OVER = range(6)

# What is recorded of a turn, and of a wait that ended.
TURN_THREAD, TURN_VCPU, TURN_FROM, TURN_TO, TURN_WHY = range(5)
WAIT_VCPU, WAIT_FROM, WAIT_MS, WAIT_BY_WAKE = range(4)
