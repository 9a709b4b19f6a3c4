"""Have a command done by the helper process: `python -I -S ask_helper.py SOCKET ARGUMENTS…`.

Loads nothing of the core and little else, for that is the point. Ends with the command's exit code,
or with `NOBODY` where no one answers; then nothing has been done.
"""

import os
import signal
import socket
import sys

NOBODY = 113


def ask(path: str, arguments: list[str]) -> int:
    """The exit code of a command, or `NOBODY`."""
    with socket.socket(socket.AF_UNIX) as asking:
        try:
            for number in (0, 1, 2):
                os.fstat(number)
            asking.connect(path)
            accepted = asking.recv(1)
        except OSError:
            return NOBODY
        if not accepted:
            return NOBODY
        # The command is told to end, and gives its own exit code.
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, lambda *_: asking.shutdown(socket.SHUT_WR))
        environment = [f"{name}={value}" for name, value in os.environ.items()]
        # No text that a process is started with holds a zero. (To load `json` takes as long as all
        # else here.)
        asked = [os.getcwd(), str(len(arguments)), *arguments, *environment]  # noqa: PTH109
        text = b"\0".join(os.fsencode(part) for part in asked)
        socket.send_fds(asking, [len(text).to_bytes(4)], [0, 1, 2])
        asking.sendall(text)
        ended = asking.recv(1)
    if not ended:
        print("ektopos: the command was ended.", file=sys.stderr)
        return 1
    return ended[0]


if __name__ == "__main__":
    sys.exit(ask(sys.argv[1], sys.argv[2:]))
