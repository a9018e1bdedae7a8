"""vCPUs on the threads of a host."""
