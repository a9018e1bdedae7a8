"""Where guests could be: whether some may go to a host, and how a host is emptied. NumPy, no Qt."""

from ruvex.placing._moving import Emptying, Obstacle, empty_host, hosts_for, obstacle_to, together_with, with_hosts

__all__ = [
    "Emptying",
    "Obstacle",
    "empty_host",
    "hosts_for",
    "obstacle_to",
    "together_with",
    "with_hosts",
]
