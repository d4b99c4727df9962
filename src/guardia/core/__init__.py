"""Pure computation: values in, values out. No files, no clock, no interface."""
