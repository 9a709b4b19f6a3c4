"""How the web server runs: one process, for its caches; many threads, most of which wait for
pictures or the network."""

from __future__ import annotations

import logging
import socket
import struct
from typing import Any

from server.logs import Masked

workers = 1
worker_class = "gthread"
threads = 40
worker_connections = 400
keepalive = 15
timeout = 300
graceful_timeout = 10
loglevel = "warning"
limit_request_line = 4094
SILENCE_SECONDS = 20


def post_worker_init(worker: Any) -> None:
    """End reads from whoever stays silent; connections take this from the socket that they were
    accepted on."""
    for listener in worker.sockets:
        wait = struct.pack("ll", SILENCE_SECONDS, 0)
        listener.sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVTIMEO, wait)
    # Whoever stays silent is no mistake that a log should show with its whole stack.
    logging.getLogger("gunicorn.error").addFilter(_is_no_silence)
    logging.getLogger("gunicorn.error").addFilter(Masked())


def _is_no_silence(record: logging.LogRecord) -> bool:
    return not (record.exc_info and isinstance(record.exc_info[1], BlockingIOError))
