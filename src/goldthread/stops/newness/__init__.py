"""New and returning: how much of each period is new, how much is people coming back?"""
