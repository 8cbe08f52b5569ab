"""Tests of view."""
