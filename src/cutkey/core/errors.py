"""The ways a step ends early."""


class BadInput(Exception):
    """Something the user gave cannot be used.

    The message is one clear sentence that names the file or setting and says what to do;
    it is shown as it stands, in the window and on the command line.
    """


class Cancelled(BaseException):
    """The step was stopped because its answer is no longer wanted.

    No fallback of a step that fails takes it for a failure.
    """


class TooMuch(Exception):
    """A file asks for more than can be done; the message goes on from the file's name."""


class ChangedElsewhere(BadInput):
    """A file was changed by somebody else since it was read."""


class Taken(BadInput):
    """Something that this program did not write lies where a file is to be written.

    Or something that was changed since.
    """
