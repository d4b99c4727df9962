"""Where footage goes: stores and readings over time, volume, days kept, battery, sun and data. Pure functions."""
