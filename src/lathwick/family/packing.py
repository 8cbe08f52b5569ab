"""Orders as bytes, for processes that do not share this one's memory."""

from __future__ import annotations

import importlib.util
import sys

from .row_work import Order


def packed(order: Order) -> bytes:
    """The order as bytes, with the code of a design that a new process could not import."""
    import cloudpickle

    module = sys.modules.get(order.design.build_function.__module__)
    if module is None or module.__name__ == "__main__" or importlib.util.find_spec(module.__name__):
        return cloudpickle.dumps(order)
    cloudpickle.register_pickle_by_value(module)
    try:
        return cloudpickle.dumps(order)
    finally:
        cloudpickle.unregister_pickle_by_value(module)
