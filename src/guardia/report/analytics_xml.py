"""A zone, its sensitivity and its times as ONVIF analytics XML, beside the settings sheet as JSON.

The form is a VideoAnalyticsConfiguration of the ONVIF schema with a cell motion engine, its detector, and a field
detector for each watched outline. Names and meanings of the parameters are those of the ONVIF Analytics Service
Specification, from memory; the schema itself is checked in the tests against its published file.
"""

from __future__ import annotations

import math
from xml.etree import ElementTree as ET

from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings, entered_zones
from guardia.core.make.zones import PolygonZone, ZoneKind, zone_cells
from guardia.core.trace.measure import Grid
from guardia.report.motion_cells import pack_cells

TT = "http://www.onvif.org/ver10/schema"
USUAL = Grid(22, 18)
"""Cells of a make that has none of its own."""


def analytics_xml(camera: str, settings: Settings, capability: Capability) -> bytes:
    """The analytics configuration of one camera.

    Args:
        camera: Its name.
        settings: What is to be entered.
        capability: The make.

    Returns:
        An XML document in UTF-8.
    """
    ET.register_namespace("tt", TT)
    root = ET.Element(f"{{{TT}}}VideoAnalyticsConfiguration", {"token": "guardia"})
    _add(root, "Name").text = camera
    _add(root, "UseCount").text = "1"
    grid = capability.blocks if capability.zone_form == "blocks" else USUAL
    zones = entered_zones(settings, capability)
    module = _add(
        _add(root, "AnalyticsEngineConfiguration"), "AnalyticsModule", Name="Motion", Type="tt:CellMotionEngine"
    )
    parameters = _add(module, "Parameters")
    _simple(parameters, "Sensitivity", f"{_sensitivity(settings, capability)}")
    layout = _add(
        _add(parameters, "ElementItem", Name="Layout"), "CellLayout", Columns=f"{grid.columns}", Rows=f"{grid.rows}"
    )
    transformation = _add(layout, "Transformation")
    # From cells to the picture: x and y from -1 to 1, y upwards.
    _add(transformation, "Translate", x="-1", y="1")
    _add(transformation, "Scale", x=f"{2 / grid.columns:.6f}", y=f"{-2 / grid.rows:.6f}")
    rules = _add(root, "RuleEngineConfiguration")
    detector = _add(_add(rules, "Rule", Name="Motion", Type="tt:CellMotionDetector"), "Parameters")
    _, size = settings.sensitivity_under(capability)
    _simple(detector, "MinCount", f"{max(1, math.ceil(size * grid.cells))}")
    _simple(detector, "AlarmOnDelay", f"{round(1000 * settings.detection.hold_s)}")
    _simple(detector, "AlarmOffDelay", f"{round(1000 * settings.detection.release_s)}")
    _simple(detector, "ActiveCells", pack_cells(zone_cells(zones, grid=grid)))
    for number, zone in enumerate(zones, 1):
        if isinstance(zone, PolygonZone) and zone.kind is ZoneKind.WATCH:
            rule = _add(rules, "Rule", Name=zone.name or f"Zone {number}", Type="tt:FieldDetector")
            field = _add(_add(rule, "Parameters"), "ElementItem", Name="Field")
            polygon = _add(_add(field, "PolygonConfiguration"), "Polygon")
            for x, y in zone.points:
                _add(polygon, "Point", x=f"{2 * x - 1:.4f}", y=f"{1 - 2 * y:.4f}")
    ET.indent(root)
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True))


def _sensitivity(settings: Settings, capability: Capability) -> int:
    """From 0 to 100: the place of the notch on the make's scale; the middle where it is given directly."""
    labels = [notch.label for notch in capability.notches]
    if settings.detection.sensitivity is not None or settings.detection.notch not in labels:
        return 50
    return round(100 * (labels.index(settings.detection.notch) + 1) / len(labels))


def _add(parent: ET.Element, name: str, **attributes: str) -> ET.Element:
    return ET.SubElement(parent, f"{{{TT}}}{name}", attributes)


def _simple(parent: ET.Element, name: str, value: str) -> None:
    _add(parent, "SimpleItem", Name=name, Value=value)
