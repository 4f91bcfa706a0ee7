"""Where commands go: the simulated house takes every form of command and keeps the state of each device."""
