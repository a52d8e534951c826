"""What the children of ``test_forked`` do."""

import os
import signal
import sys
import time

from gumshoe.core.forked import serve


def work(asked: bytes) -> tuple[int, bytes]:
    """By the first letter: say the rest, end, raise, be killed, count for ever, sleep, take 200 MB."""
    match asked[:1]:
        case b"=":
            return 0, asked[1:]
        case b"!":
            raise ValueError
        case b"k":
            os.kill(os.getpid(), signal.SIGKILL)
        case b"t":
            while True:
                pass
        case b"s":
            time.sleep(1.5)
            return 0, b"slept"
        case b"m":
            try:
                return 0, b"%d" % len(bytearray(200_000_000))
            except MemoryError:
                return 4, b""
    return int(asked), b""


if __name__ == "__main__":
    serve(int(sys.argv[1]), work)
