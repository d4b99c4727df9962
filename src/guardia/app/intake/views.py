"""A camera's planned view, and whether what it recorded shows that view."""

from __future__ import annotations

from guardia.app.work.engine import Engine
from guardia.core.base.errors import ProjectError, UnreadableClip
from guardia.core.base.words import count_of
from guardia.core.view.picture import ViewLikeness, grey_of, likeness
from guardia.media.analysis import VIEW_PICTURES, clean_view, decode_grey
from guardia.store.clips import SAME_VIEW
from guardia.store.project import Project


def compare_views(project: Project, camera_id: int, pool: Engine) -> str:
    """Hold each clip's background against the planned view, which is made first where there is none yet.

    Args:
        project: The project.
        camera_id: The camera.
        pool: On which they are compared.

    Returns:
        What to tell: clips that show another view and are not scored; empty where none does.
    """
    planned = project.cameras.clean_view(camera_id)
    if not planned:
        make_clean_view(project, camera_id)
        planned = project.cameras.clean_view(camera_id)
    known = project.clips.views(camera_id)
    new = [c for c in project.clips.of(camera_id, analysed=True) if not known.get(c.id)]
    if not planned or not new:
        return ""
    pictures = [project.measurements.background(c.id) for c in new]
    compared = pool.executor.map(_compare, pictures, [planned] * len(new), [c.dark for c in new])
    words = {clip.id: _words(one) for clip, one in zip(new, compared, strict=True)}
    project.clips.set_views(words)
    make_clean_view(project, camera_id)
    other = [clip for clip in new if words[clip.id] != SAME_VIEW]
    if not other:
        return ""
    example = f"{other[0].name} ({words[other[0].id]})"
    return (
        f"{count_of(len(other), 'clip')} of another view than the camera's planned one, such as {example}. They are "
        "kept but not scored, since a zone fits one position. Camera, Clips can count them all the same."
    )


def _compare(background: bytes, planned: bytes, dark: bool) -> ViewLikeness | None:
    if not background:
        return None
    try:
        return likeness(grey_of(decode_grey(background)), grey_of(decode_grey(planned)), dark=dark)
    except UnreadableClip:
        return None


def _words(one: ViewLikeness | None) -> str:
    if one is None or not one.other_view:
        return SAME_VIEW
    if one.agrees > 0.5:
        return f"moved by {abs(one.shift[0]):.0%} across and {abs(one.shift[1]):.0%} down or up"
    return f"its edges agree by {max(one.agrees, 0):.0%} with it"


def make_clean_view(project: Project, camera_id: int) -> None:
    """Make the camera's picture without what moves, from single pictures of its brightest clips of the planned view."""
    aside = project.clips.other_views(camera_id)
    clips = [c for c in project.clips.of(camera_id, analysed=True) if c.id not in aside]
    levels = {c.id: level for c in clips if (level := project.measurements.brightness(c.id)) is not None}
    brightest = sorted(levels, key=lambda i: -levels[i])[: 2 * VIEW_PICTURES : 2]
    lengths = {c.id: c.duration_s for c in clips}
    pictures = []
    for clip_id in brightest:
        try:
            pictures.append((project.clips.path(clip_id), lengths[clip_id]))
        except ProjectError:
            continue
    if pictures:
        project.cameras.put_clean_view(camera_id, clean_view(pictures))
