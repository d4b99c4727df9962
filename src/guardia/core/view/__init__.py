"""The camera in space: geometry, calibration, tracks."""
