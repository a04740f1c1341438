"""Colour maps for values on surfaces: even steps of value look like even steps, to colour-blind eyes too.

Every eighth colour of "vik" and "batlow" by Fabio Crameri, Scientific colour maps 8 (doi 10.5281/zenodo.1243862), MIT
licence; copied from the package cmcrameri 1.10.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# From below nought over nought to above it.
VIK = """
    #001261 #021F69 #022B71 #023779 #034481 #055189 #0C5E92 #1C6D9C #307DA6 #488DB2 #619EBD
    #7AAEC8 #94BED2 #ADCDDD #C6DBE6 #DEE6E9 #ECE5E0 #EEDBD0 #E9CCBA #E3BCA5 #DCAC90 #D69D7C
    #CF8E68 #C98056 #C37243 #BD6431 #B3531F #A5400F #942F06 #832106 #741506 #670A07 #590008
"""
# From nought, light, up to dark: the map turned about, so that what is as it was stays bright.
BATLOW = """
    #FACCFA #FBC6E8 #FCBFD6 #FDBAC4 #FDB4B4 #FDAEA2 #FCA890 #F8A27E #F19D6B #E7985A #DB954B
    #CD923F #BE9035 #AF8D2E #9F892B #8F862D #828231 #747E38 #677B3E #5A7745 #4D734D #416F53
    #356A59 #2B655E #226061 #1B5962 #175262 #134B61 #114360 #0F3B5F #0D315D #08255B #011959
"""
STEPS = 256


def ramp(colours: str) -> NDArray[np.uint8]:
    """A map's colours as one row of pixels: (1, STEPS, 4)."""
    known = np.array([[int(name[place : place + 2], 16) for place in (1, 3, 5)] for name in colours.split()], float)
    at = np.linspace(0.0, len(known) - 1.0, STEPS)
    row = np.full((1, STEPS, 4), 255, dtype=np.uint8)
    for channel in range(3):
        row[0, :, channel] = np.rint(np.interp(at, np.arange(len(known)), known[:, channel]))
    return row
