"""Plan: its model, reading it, running it, and tidying without one.

The modules are imported one by one: tidying without a plan needs no plan model, and does not wait for it.
"""
