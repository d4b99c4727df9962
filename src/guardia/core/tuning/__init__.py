"""Better settings by search: zones proposed and fitted to a make."""
