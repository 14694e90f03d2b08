"""What the model flies, the judge says and the proof finds, as it was when it was kept: a change has to be meant.

    make kept

writes it anew. Whatever differs then stands in the diff, and belongs in `CHANGELOG.md` where a school would notice it.
It tells that something has changed, not what is right: that is for the checks against sources in `tests/reference/`.
"""
