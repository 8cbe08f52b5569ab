"""Modelling operations: plain functions of values that return a valid `Body`."""
