"""A control that does nothing but answer, and note when it was told to hold: its times go to standard output when it is ended."""

from __future__ import annotations

import json
import os
import select
import signal
import sys
import time
import tty


def main() -> None:
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    print(os.ttyname(theirs), flush=True)
    held: list[float] = []
    is_over = False

    def end(_number: int, _frame: object) -> None:
        nonlocal is_over
        is_over = True

    signal.signal(signal.SIGTERM, end)
    while not is_over:
        if not select.select([ours], [], [], 0.05)[0]:
            continue
        data = os.read(ours, 4096)
        now = time.monotonic()
        held += [now] * data.count(b"!")
        answer = b"<Idle|MPos:0.000,0.000,0.000|Bf:32,128|FS:0,0|WCO:0.000,0.000,0.000>\r\n" * data.count(b"?")
        answer += b"ready [clock]\r\n" * data.count(b"\x18") + b"ok\r\n" * data.count(b"\n")
        os.write(ours, answer)
    print(json.dumps(held), flush=True)


if __name__ == "__main__":
    sys.exit(main())
