"""Long work: put on the queue here, done by the worker."""
