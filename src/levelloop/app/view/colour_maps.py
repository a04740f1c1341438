"""Colour maps for values on surfaces: even steps of value look like even steps, to colour-blind eyes too.

Every eighth colour of "vik" and "bilbao" by Fabio Crameri, Scientific colour maps 8 (doi 10.5281/zenodo.1243862), MIT
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
# From nought, nearly white, up to dark: what is as it was stays quiet.
BILBAO = """
    #FFFFFF #F1F1F0 #E3E3E2 #D7D7D4 #CECDC7 #C9C7BC #C5C2B0 #C2BDA4 #BFB897 #BBB289 #B7AC7A
    #B3A36E #B09B66 #AE9463 #AC8D61 #AA875F #A9825E #A77C5D #A6765C #A4715B #A36B59 #A16458
    #9F5E56 #9D5654 #994E51 #93454B #8B3B42 #823239 #78292F #6E2024 #64161A #580B10 #4C0001
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
