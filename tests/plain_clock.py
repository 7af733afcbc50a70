"""A steady job for tests that are not about the sample itself: the tide clock as it was saved before it had carvings and an inlay.

The sample that ships grows with the product; what these tests count on (which cut comes first, how many there are) must not.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path as FilePath

from archimetra.job.file import JobFile, load_job


@lru_cache(maxsize=1)
def plain_clock() -> JobFile:
    return load_job(FilePath(__file__).parent / "job" / "samples" / "schema-3.archimetra")
