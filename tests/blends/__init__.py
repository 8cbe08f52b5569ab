"""Tests of blends."""
