"""What the commands do, one a module; each is loaded when it is run."""

SOME_FAILED = 3  # the exit code where some inputs failed


class UsageError(ValueError):
    """The command was asked for something it cannot do; the message is what the clerk reads."""
