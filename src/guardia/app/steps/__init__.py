"""The steps of the work and the view-models that only one of them needs."""
