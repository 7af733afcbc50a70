"""Findings that were dismissed stay quiet until what they speak of changes."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b

from archimetra.base.findings import Finding, Severity

_PLACE_DIGITS = 2  # of a mm


def key_of(finding: Finding) -> str:
    """The same as long as a finding says the same of the same thing at the same place."""
    at = None if finding.at is None else tuple(round(v, _PLACE_DIGITS) for v in finding.at)
    said = f"{finding.subject}|{finding.place}|{finding.severity}|{finding.words}|{finding.mend}|{at}"
    return f"{finding.code}:{blake2b(said.encode(), digest_size=10).hexdigest()}"


def told(findings: Sequence[Finding], dismissed: Sequence[str]) -> tuple[Finding, ...]:
    """Those that were not dismissed."""
    if not dismissed:
        return tuple(findings)
    quiet = set(dismissed)
    return tuple(finding for finding in findings if key_of(finding) not in quiet)


def at_the_gate(findings: Sequence[Finding], dismissed: Sequence[str]) -> tuple[Finding, ...]:
    """Those that are told where files are written: a stop that was dismissed spoils work all the same."""
    kept = told(findings, dismissed)
    return tuple(finding for finding in findings if finding.severity is Severity.STOP or finding in kept)
