"""The rows of the arrays that the kernels work on; one name a row, the unit where it has one.

Every array has its items (guests, pools, hosts, nodes, slots, places) along its last axis, and one quantity a row.
"""

from __future__ import annotations

# What kind of memory a guest has, in ``GUEST_MODE``.
FIXED, ELASTIC, THIN = 0, 1, 2

# Settings of guests; MHz, MiB, infinity where there is no limit, parts of 1.
(
    G_VCPUS, G_CPU_RESERVATION, G_CPU_LIMIT, G_CPU_SHARES, G_MODE, G_SIZE, G_RESERVATION, G_LIMIT, G_SHARES, G_FLOOR,
    G_CEILING, G_HEADROOM, G_DEDICATED, G_BANKED, G_OVERHEAD, G_OTHERWISE, G_GREEDY, G_LEAVES, G_AIM, G_CACHE, G_BATCH,
    G_COMMON, G_AGENT,
) = range(23)  # fmt: skip
"""``G_OVERHEAD`` is what it costs its host beside its own memory; ``G_OTHERWISE`` its size without elastic memory;
``G_AIM`` where greedy work comes to rest; ``G_COMMON`` the pages it has in common with guests of its image."""

G_ROWS = 23

# Whole numbers of guests: its pool and its image, −1 where it has none.
I_POOL, I_IMAGE = range(2)

# Who is on, and where: rows of ``Standing.of_guests``. Flags, and the position of the host, −1 for none.
S_ON, S_AGENT, S_BOOTING, S_HOST = range(4)

# What a page costs that lies on the guest's own disk, and on the one it is spilled to: rows of ``disks``.
D_OWN, D_SPILL = range(2)

# Settings of pools, each for CPU and memory.
P_RESERVATION, P_LIMIT, P_SHARES, P_DRAWS = range(4)

# Settings of hosts; a host that is down has nothing.
(
    H_MHZ, H_CORES, H_FURTHER, H_YIELD, H_OVERHEAD_MHZ, H_GROSS, H_SPILL, H_HDD, H_BANK, H_NODES, H_UP,
) = range(11)  # fmt: skip
"""``H_FURTHER`` are the threads beyond one a core, ``H_GROSS`` is memory after the hypervisor's own needs,
``H_NODES`` how many NUMA nodes there are, ``H_UP`` 1 or 0."""

# Numbers of the rules.
(
    R_ON_TOP, R_PER_SIZE, R_IDLE, R_KEPT_PART, R_KEPT_MOST, R_DIRE_PART, R_BALLOON_PART, R_RATIO, R_SQUEEZE_PART,
    R_COST_SQUEEZED, R_COST_FAR, R_BY_USE, R_GROW, R_SHRINK, R_SHRINK_STEP_S, R_SETTLE_S, R_BALLOON, R_URGENT,
    R_SQUEEZE, R_SPILL, R_RETURN, R_SHARING, R_CACHE, R_GREEDY, R_LOOK_S, R_BRIDGE_SPEED, R_TICK_S, R_DAY_S,
    R_SAMPLE_S, R_PAGING, R_START_TAKES_ALL,
) = range(31)  # fmt: skip

# Nodes of a forest.
N_PLACE, N_POOL, N_PARENT, N_FIRST, N_LAST, N_SLOT, N_COUNT = range(7)
"""``N_POOL`` is −1 for the root of a place; the members of a node are the slots from ``N_FIRST`` to before ``N_LAST``;
``N_SLOT`` is where the node itself is a member; ``N_COUNT`` the guests at any depth below it."""

# Slots of a forest: the node or the guest that stands there (the other one is −1), and the node it is a member of.
T_NODE, T_GUEST, T_OWNER = range(3)

# Places of a forest: what is divided there, its host (−1: all), and its nodes, from the first to before the last.
L_KIND, L_HOST, L_FIRST, L_LAST = range(4)
CPU_PLACE, MEMORY_PLACE, BANK_PLACE, STORE_PLACE, LINK_PLACE = range(5)

LEAST_WEIGHT = 1e-200
"""What counts less counts as much: a level, an amount divided by a weight, is to stay a number."""

# What members ask for and get, by slot.
A_FLOOR, A_KNEE, A_USE, A_CAP, A_KEEP, A_OWN, A_WEIGHT, A_GIVEN, A_BOUND = range(9)
A_ROWS = 9
"""``A_KEEP`` and ``A_OWN`` are what section 4 calls so; ``A_BOUND`` is 1 where the cores it is kept to give no more."""

# What is known of nodes.
V_LEVEL, V_HEADROOM, V_RESERVATION, V_LIMIT, V_WEIGHT, V_AS_ONE, V_BROKEN, V_LIMITED = range(8)
"""The levels of both tiers; the settings as apportioned; what its guests would get as one machine; two flags."""
BROKEN, PLACEMENT = 1.0, 2.0
"""In ``V_BROKEN``: the promises cannot all be kept; they could, if the pool's guests were elsewhere."""

# What is known of places; MHz or MiB. Claims and copies are those of section 5 and 6.
Q_SUPPLY, Q_KEPT, Q_AMOUNT, Q_COPIES, Q_WAITING, Q_SIZE, Q_FREE, Q_PRESSURE, Q_SHORT, Q_ARRIVING, Q_GIVES = range(11)
Q_ROWS = 11
"""``Q_WAITING`` is what waiting starts need, ``Q_SIZE`` how large a bank is by now, ``Q_SHORT`` whether growth found no
memory at the last look, ``Q_ARRIVING`` what guests that are on their way here need, ``Q_GIVES`` whether a
start has guests give all above their need."""
Q_LEVEL, Q_BROKEN, Q_ASKED = range(3, 6)
Q_FLOW_ROWS = 6
"""Of stores and links, after the first three: the level at which all they give adds up (infinite where they have more),
1 where their promises cannot all be kept, and what would be used of them if they had more."""

# Demand of guests: MHz, MiB, MiB, transfers a second, MiB/s.
W_CPU, W_WORKING, W_TOUCHED, W_OPS, W_NET = range(5)
W_ROWS = 5

# Disks and links of guests, by slot: whose it is, and which row of the demand it serves.
F_GUEST, F_KIND = range(2)
# What is set for them: weight, limit and reservation (transfers a second, MiB/s), the part of the guest's demand that
# goes there, and how many of the store's transfers one of the guest's counts as.
F_WEIGHT, F_LIMIT, F_RESERVATION, F_PART, F_COST = range(5)

# What is known of disks and links by slot. The disks of a guest on one store have the same but for the first and last.
TAP_WANTED, TAP_ASKS, TAP_COULD, TAP_STEP, TAP_WAY, TAP_GIVEN, TAP_HELD = range(7)
TAP_ROWS = 7
"""``TAP_WANTED`` and ``TAP_GIVEN`` are as the store counts transfers, or MiB/s; ``TAP_ASKS`` the part of it that all
else lets the guest use, ``TAP_COULD`` the part its place could give it; ``TAP_STEP`` how much of the way to that
``TAP_ASKS`` goes in a round, ``TAP_WAY`` which way it went last; ``TAP_HELD`` 1 where it is this place that has no more
for it."""

# What guests want and have of stores and links, and how far their work is slowed by it.
O_OPS_WANTED, O_OPS_GIVEN, O_NET_WANTED, O_NET_GIVEN, O_PACE = range(5)
O_ROWS = 5
LEFT = 0.1
"""Paging and moves take no more of a store or of links than all but this part."""
LEAST_PACE = 1e-6
"""Work that waits for disk or network goes on at least so fast: a pace is what other figures are divided by."""

# Where a guest's memory lies: rows of ``layers``. MiB but for pace and p; see ``Layers``.
(
    M_TOUCHED, M_SHARED, M_BALLOON, M_SQUEEZED, M_SPILLED, M_BACKED, M_HELD, M_VISIBLE, M_WORKING, M_SELF_PAGED,
    M_CACHE, M_FAR, M_PACE, M_NEED, M_MET, M_CPU_WANTED,
) = range(16)  # fmt: skip
M_ROWS = 16

# The state of guests in a play: rows of ``State.values``; MiB, MHz, parts of 1.
(
    X_BOOT_LEFT, X_WORKING, X_NEED, X_HOARD, X_TOUCHED, X_SHARED, X_GIVEN, X_BALLOON, X_SQUEEZED, X_SPILLED, X_USED,
    X_VISIBLE, X_BRIDGED, X_SELF_PAGED, X_CACHE, X_FAR, X_PACE, X_MET, X_RECLAIMED, X_WANTED, X_DELIVERED, X_BACKLOG,
    X_TARGET, X_FLOOR, X_BACKED, X_OPS_WANTED, X_OPS_GIVEN, X_NET_WANTED, X_NET_GIVEN, X_FLOW, X_MEMORY_PACE,
) = range(31)  # fmt: skip
"""``X_BOOT_LEFT`` is in seconds at full speed, ``X_USED`` p of section 6, ``X_BACKLOG`` in MHz·s; ``X_TARGET`` what the
last look's division gives, ``X_FLOOR`` what is held at least; ``X_FLOW`` is how far disks and links slow its work,
``X_MEMORY_PACE`` how far its memory does, ``X_PACE`` the slower of the two."""
X_ROWS = 31

# Whole numbers of guests in a play: rows of ``State.codes``; the last are ticks.
(
    C_PHASE, C_AGENT, C_CAUSE, C_HOST, C_SPILL_HDD, C_LOW_SINCE, C_AGENT_DUE, C_CPU_SINCE, C_MEMORY_SINCE, C_HELD,
    C_SEES, C_SHORT_SINCE,
) = range(12)  # fmt: skip
"""``C_HELD`` is 1 while it is held still at the end of a move, ``C_SEES`` the level its programs see."""
C_ROWS = 12
OFF, QUEUED, BOOTING, RUNNING = range(4)
NEVER = 2**62
"""The tick of what is not due."""

# Batch work of guests: MHz·s but for the tick since which it goes on evenly, and what it wants and gets since (MHz).
B_ASKED, B_SINCE, B_WANTS, B_GETS, B_LEFT, B_TOTAL, B_HIGHEST, B_START, B_BEHIND = range(9)
"""``B_LEFT`` and ``B_TOTAL`` are what was left and asked for at ``B_SINCE``; ``B_HIGHEST`` is the highest demand of the
job under way, ``B_START`` what had been asked for when it began, ``B_BEHIND`` 1 while it is behind."""
B_ROWS = 9

# Batch jobs whose work has all been asked for: the guest, when (s), how much had been asked for in all, and of the job.
J_GUEST, J_DUE_S, J_TOTAL, J_AMOUNT = range(4)

# What a play notes down for its log: what, the tick, the guest or place, and two numbers.
K_PRESSURE, K_JOB_DONE = range(2)

# Numbers that a play carries from tick to tick.
(
    Z_TICK, Z_DUE, Z_MOVED, Z_SETTLED, Z_TIMER, Z_REREAD, Z_CPU_ANEW, Z_BOOTS, Z_JOBS, Z_NOTES, Z_ROWS, Z_LOOKS,
    Z_MEMORY_ANEW, Z_WORKED,
) = range(14)  # fmt: skip
"""The tick, the place in the list of due signals; whether demands on memory have moved since the last look, whether it
came to rest, the first tick at which something falls due by itself; whether demands, CPU or memory are to be worked out
anew; whether anybody boots; how many jobs, notes and rows there are; looks so far; whether what elastic memory saves is
to be noted; ticks worked out so far."""

# Ends of a run of ticks.
E_REACHED, E_BOOTED, E_LOOKED, E_ROOM = range(4)
"""It came as far as asked; somebody has booted; the controllers looked while starts wait; notes or jobs are full."""

AMPLE, SHORT, DIRE = range(3)

# Causes of a shortfall, in the order of ``CAUSES``.
(
    NO_CAUSE, OWN_LIMIT, OWN_CEILING, OWN_SIZE, AGENT_MISSING, POOL_LIMIT, BANK, SUPPLY, AGENT_LOADING, STILL_GROWING,
    BOOT_FROM_DISK, KEPT_CORES,
) = range(12)  # fmt: skip
CAUSE_ROWS = 12

# What a play counts of guests: rows of ``Tally.guests``; ticks, MHz·ticks, MiB·ticks, parts of 1, MiB; transfers and
# traffic times ticks; ticks in which any of the two lacked, each of them, and anything at all, CPU and memory too.
(
    Y_ON, Y_UNMET, Y_WANTED, Y_DELIVERED, Y_PACE, Y_MET, Y_PEAK, Y_OTHERWISE, Y_SAVED, Y_WAS_ELASTIC, Y_OPS_WANTED,
    Y_OPS_GIVEN, Y_NET_WANTED, Y_NET_GIVEN, Y_FLOW_UNMET, Y_OPS_UNMET, Y_NET_UNMET, Y_SHORT,
) = range(18)  # fmt: skip
Y_ROWS = 18
SHORT_PART = 0.001
"""Who lacks more than this part of what he wants or needs is short; wherever that is told or counted."""

# What a play counts of places: ticks under each pressure, the least and the sum of what is free, ticks of unmet CPU.
U_AMPLE, U_SHORT, U_DIRE, U_LEAST, U_FREE, U_UNMET, U_TICKS, U_SINCE, U_IS_UNMET, U_UNMET_SINCE = range(10)
U_ROWS = 10

# What is recorded of every guest, in this order, and of every place.
CHANNELS = (
    "cpu_wanted", "cpu_delivered", "visible", "backed", "working", "need", "balloon", "squeezed", "spilled", "shared",
    "self_paged", "bridged", "cache", "pace", "met",
)  # fmt: skip
PLACE_CHANNELS = (
    "cpu_supply", "cpu_wanted", "cpu_delivered", "memory_supply", "given", "kept", "free", "pressure", "saved",
)  # fmt: skip

FLOW_CHANNELS = ("ops_wanted", "ops_delivered", "net_wanted_mib_s", "net_delivered_mib_s")
"""What is recorded of guests besides, where the plan has stores or links."""
FLOW_PLACE_CHANNELS = ("supply", "taken", "wanted", "delivered")
"""What is recorded of each store, in its own transfers a second, and of the links of each host, in MiB/s.

*Taken* is what paging takes of a store, and moves of links.
"""

# Forms of demand signals.
CONSTANT, DAILY, BURSTS, TABLE = range(4)
