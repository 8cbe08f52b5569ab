"""Tests of modelling."""
