"""What decisions say of whole regions: roles, descriptions, places in the reading order."""

from __future__ import annotations

from hyalen.core.decisions.finding import Unplaced, find_region
from hyalen.core.decisions.ink import Ink, Lay
from hyalen.core.decisions.operations import Describe, Reorder
from hyalen.core.decisions.requests import EditError
from hyalen.core.decisions.wording import replaced
from hyalen.core.model.content import PageContent, Region, RegionKind, Role

_PICTURE_KINDS = {Role.FIGURE: RegionKind.FIGURE, Role.FORMULA: RegionKind.FORMULA}
_PICTURE_ROLES = {*_PICTURE_KINDS, Role.ARTIFACT}
_TABLE_ROLES = {Role.TABLE, Role.ARTIFACT}


def roles_for(kind: RegionKind) -> tuple[Role, ...]:
    """The roles that a region of this kind can be given."""
    if kind is RegionKind.FIGURE:
        return tuple(r for r in Role if r in _PICTURE_ROLES)
    if kind is RegionKind.TABLE:
        return tuple(r for r in Role if r in _TABLE_ROLES)
    return tuple(r for r in Role if r is not Role.TABLE)


def assign_role(content: PageContent, region: Region, role: Role) -> PageContent:
    if region.kind.is_picture and role not in _PICTURE_ROLES and not region.lines:
        raise EditError("a picture without text can only be a figure, a formula or an artifact")
    if region.kind is RegionKind.TABLE and role not in _TABLE_ROLES:
        raise EditError("a table can only be a table or an artifact")
    if region.kind is RegionKind.TEXT and role is Role.TABLE:
        raise EditError("a text without a grid cannot be a table")
    kind, described = region.kind, region.alternative_text
    if role in _PICTURE_KINDS:
        kind = _PICTURE_KINDS[role]
        # What was read in it would be lost to every format otherwise.
        described = described or " ".join(region.text.split()) or None
    elif region.kind.is_picture and role not in _PICTURE_ROLES:
        kind = RegionKind.TEXT
    update = {
        "role": role,
        "kind": kind,
        "omitted": region.omitted and role is Role.ARTIFACT,
        "alternative_text": described,
        "drawn": True,
        "confidence": 1.0,
        "reason": "set by hand",
    }
    return placed(content, region.model_copy(update=update))


def placed(content: PageContent, region: Region) -> PageContent:
    """The region among the regions or the artifacts, as its role says, at its place in height."""
    content = replaced(content, region)
    is_artifact = region.id in {a.id for a in content.artifacts}
    if is_artifact == region.role.is_artifact:
        return content
    if region.role.is_artifact:
        regions = tuple(r for r in content.regions if r.id != region.id)
        return content.model_copy(update={"regions": regions, "artifacts": (*content.artifacts, region)})
    artifacts = tuple(a for a in content.artifacts if a.id != region.id)
    at = next((i for i, r in enumerate(content.regions) if r.box.top > region.box.top), len(content.regions))
    regions = (*content.regions[:at], region, *content.regions[at:])
    return content.model_copy(update={"regions": regions, "artifacts": artifacts})


def describe(content: PageContent, region: Region, operation: Describe) -> PageContent:
    if region.kind is RegionKind.TABLE and not operation.decorative:  # the summary of a table
        return replaced(content, region.model_copy(update={"alternative_text": operation.text or None}))
    if not region.kind.is_picture:
        raise EditError("only a picture, a table or a formula has a description")
    own = next(role for role, kind in _PICTURE_KINDS.items() if kind is region.kind)
    changed = region.model_copy(
        update={
            "omitted": False,
            "alternative_text": operation.text or None,
            "role": Role.ARTIFACT if operation.decorative else own,
            "drawn": True,
        }
    )
    return placed(content, changed)


def reorder(content: PageContent, operation: Reorder, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    if region.role.is_artifact:
        raise EditError("an artifact has no place in the reading order")
    rest = [r for r in content.regions if r.id != region.id]
    order = {r.id: i for i, r in enumerate(rest)}
    at = len(rest)
    if operation.before is not None:
        near = _in_order(content, operation.before, order, lay)
        if near is None:
            before = _in_order(content, operation.after, order, lay)
            if before is None:
                raise Unplaced("the block that it was put before is not there any more")
            near = before + 1
        at = near
    return content.model_copy(update={"regions": (*rest[:at], region, *rest[at:]), "near_ties": ()})


def _in_order(content: PageContent, ink: Ink | None, order: dict[str, int], lay: Lay) -> int | None:
    if ink is None:
        return None
    try:
        return order.get(find_region(content, ink, lay).id)
    except Unplaced:
        return None
