"""Tests of sketch."""
