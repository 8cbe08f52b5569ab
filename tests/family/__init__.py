"""Tests of family."""
