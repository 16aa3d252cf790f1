"""Is it the right drive, at the right place, linked as it should be?  Asked before anything is written."""

from __future__ import annotations

from ulterion.core.errors import UsageError
from ulterion.core.facts.target import TargetFacts
from ulterion.core.links.standards import is_lower, known_link
from ulterion.model.expect import Expect


def unexpected(expect: Expect, facts: TargetFacts) -> list[str]:
    """Return what is not as a setup expects, one phrase each; what the system does not show cannot be held against it."""
    sentences = []
    if expect.serial is not None and facts.serial != expect.serial:
        sentences.append(f"it is another drive: serial {facts.serial or 'not shown'}, expected {expect.serial}")
    elif expect.serial is None and facts.system_disk:
        sentences.append("it is the system disk, and the setup names no serial")
    resting = any(s.may_rest for s in facts.steps)
    linked = known_link(facts.link) if not resting else None
    if expect.link is not None and is_lower(linked, expect.link):
        sentences.append(f"it is linked at {facts.link}, expected {expect.link.name} or more")
    if expect.driver is not None and facts.driver is not None and facts.driver != expect.driver:
        sentences.append(f"its driver is {facts.driver}, expected {expect.driver}")
    if expect.port is not None and facts.port is not None and facts.port != expect.port:
        sentences.append(f"it is in another port: {facts.port}, expected {expect.port}")
    return sentences


def check_expected(setup: str, expect: Expect, facts: TargetFacts, *, accept: bool) -> list[str]:
    """Return warnings for what is not as expected and was accepted; raise UsageError when it was not."""
    sentences = unexpected(expect, facts)
    if sentences and not accept:
        raise UsageError(
            f"setup '{setup}' expects something else, so nothing was written: {'; '.join(sentences)}. Correct it, or go on as it is "
            "with --accept, or learn it anew: ulterion survey --learn " + setup
        )
    return [f"not as the setup expects, and accepted: {f}" for f in sentences]
