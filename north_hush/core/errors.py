"""The errors North Hush raises on purpose. Each names its subject and the way out."""

from __future__ import annotations


class HushError(Exception):
    """Something the user can act on.

    Attributes
    ----------
    subject : str
        The file or field it is about.
    what : str
        What happened, as a sentence without the subject.
    remedy : str
        What to do about it; may be empty when there is nothing to do.
    """

    def __init__(self, subject: str, what: str, remedy: str = "") -> None:
        self.subject = subject
        self.what = what
        self.remedy = remedy
        super().__init__(f"{subject}: {what}" + (f" {remedy}" if remedy else ""))

    def __reduce__(self) -> tuple[type[HushError], tuple[str, str, str]]:
        """As it travels from one process to another."""
        return type(self), (self.subject, self.what, self.remedy)


class FootageError(HushError):
    """A recording cannot be read, or not in full."""


class EvidenceError(HushError):
    """Stored evidence is damaged, of another version or cannot be written."""


class SiteError(HushError):
    """A site file cannot be read or written, or holds something that makes no sense."""
