"""Made-up names of people, studios, schools, towns and wares."""

from __future__ import annotations

FIRST = (
    "Ada Alder Anouk Arlo Asta Bede Bram Brisa Cael Calla Cato Dara Dilys Dov Edda Elin Emrys Esko Fenna Fiora "
    "Galen Greta Hale Hedda Hollis Idra Ilse Ines Iver Jory Juno Kaia Kester Lio Lorne Lova Maren Mika Moss Nell "
    "Nils Oona Orla Osk Pell Petra Quill Rafe Rhea Romy Runa Saskia Sefa Signe Sorrel Tamsin Teal Tove Una Vale "
    "Vesna Wren Yara Zelda"
).split()
SURNAME = (
    "Abbot-Lin Amaro Ashgrove Averdeen Barrowby Bexhill-Oduya Brandvold Calloway Castellane Corvane Dahlby "
    "Dunmarsh Eastry Eklund-Rao Fallowfield Farrowe Fennick Galbreath Garrod-Ito Greve Halloran Harrowgate Hesse- "
    "Mbeki Ibarra Inkersole Jansky Kestrel Kilbride Lacewell Larkmoor Lindqvist Loxley-Sato Marchetti Marlowe "
    "Mistry-Vance Norrland O'Fallon Okafor-Lind Orme Pargeter Pettibone Prewitt Quist Rackham Rosendale Sable "
    "Sandoval-Reyes Selwyn Silverdale Tallis Teague Thorne-Adeyemi Underhill Varga Vosper Wainfleet Wexcombe "
    "Wyndham-Roy Yarrow Zoller"
).split()
PLACE = (
    "Alder Ash Bracken Bramble Cinder Clover Cobalt Copper Cray Dell Ember Estuary Fallow Fern Flint Gable Garnet "
    "Hazel Heron Hollow Inkwell Iron Juniper Kelp Larch Linden Lower Marl Marrow Mill Moss Nettle Oak Ochre "
    "Orchard Otter Pebble Pine Quarry Reed Rowan Rush Sable Saddler Salt Sedge Slate Sorrel Spindle Stone Tansy "
    "Thistle Upper Wick Willow Yew"
).split()
STUDIO = (
    "{} Row Studio",
    "{} Bay Arts",
    "{} & Daughters",
    "{} Street Kilns",
    "{} End Ceramics",
    "{} Yard Pottery",
    "{} & Co",
)
SCHOOL = ("{} Lane School", "{} Road School", "{} Hall School", "{} Park College", "{} Green Academy")
TOWNS = {
    "Coast": ("Anchorwick", "Brinmouth", "Saltby", "Tern Haven"),
    "Hills": ("Copperdale", "Highfold", "Ravenslack", "Upper Marl"),
    "Plain": ("Broadacre", "Clayford", "Midlow", "Wheatham"),
    "Islands": ("Eider", "Skerry", "Sound"),
}
PRODUCTS = {
    "clay": (
        ("Stoneware 25 kg", 19.00),
        ("Porcelain 10 kg", 27.40),
        ("Earthenware 12.5 kg", 14.20),
        ("Grogged clay 25 kg", 18.50),
        ("Air-dry clay 10 kg", 9.50),
    ),
    "glaze": (
        ("Celadon 1 l", 21.95),
        ("Cone 6 clear 5 l", 48.40),
        ("Underglaze set", 33.30),
        ("Tenmoku 1 l", 23.50),
    ),
    "tools": (
        ("Loop tool", 6.50),
        ("Bat set", 31.00),
        ("Starter kit", 44.00),
        ("Rib, beech", 4.80),
        ("Splash pan", 52.00),
    ),
    "kiln": (("Kiln shelf", 47.00), ("Posts, set of 12", 36.00), ("Cone pack", 12.75), ("Element set", 139.00)),
}
RANGES = {
    "beginner": ("Air-dry clay 10 kg", "Underglaze set", "Starter kit", "Loop tool"),
    "master": ("Porcelain 10 kg", "Celadon 1 l", "Tenmoku 1 l", "Rib, beech", "Element set"),
}
"""Product ranges and what belongs to them; every other product is of the everyday one."""
REPS = ("Mo", "Sefa", "Idris", "Carys")
