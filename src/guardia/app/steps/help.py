"""One sentence on every setting, with its unit, for tool tips and the help line."""

SETTING_HELP = {
    "detection_on": (
        "Motion detection: off stops recording by motion as well as alerts; whether a card goes on recording "
        "continuously depends on the make. To stop only alerts, change the alerts."
    ),
    "notch": (
        "Sensitivity, the make's own scale: each notch asks for a certain number of adjacent grid cells, in % of the "
        "picture. Bigger or nearer things need less sensitivity."
    ),
    "night_notch": (
        "Sensitivity at night: the notch in force while the picture is that of a night, by the lamp. Insects, rain and "
        "headlights look larger then; people are seen less far. Zones with a notch of their own keep it."
    ),
    "objects": (
        "Object filter: only these classes trigger; with none chosen any motion does. It trusts the camera's own eye, "
        "which fails far away and in the dark; what the classes rest on is said beside the score."
    ),
    "hold_s": (
        "Motion must last, in seconds: what is large enough for less than this never triggers. Insects and gulls are "
        "short; so is somebody running."
    ),
    "rest_s": ("Rest after a recording, in seconds: nothing can trigger in it. Whoever comes in it is missed."),
    "pre_record_s": "Pre-record, in seconds: how much from before the trigger is kept. Without it a clip begins late.",
    "length_s": "How long it records, in seconds from the trigger on, or for as long as it moves.",
    "stop_when_still": "A recording of fixed length ends when motion has stopped for the make's release time.",
}
