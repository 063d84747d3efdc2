"""One function per thing a user does: load, compute, save. Web, jobs and command line share it."""
