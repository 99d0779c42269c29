"""Cohorts: of those who first ordered in the same period, who came back, when, for how much?"""
