"""Makes the light of the studio that materials are shown in: `src/levelloop/app/view/render/light/studio.npz`."""

from __future__ import annotations

import numpy as np

from levelloop.app.view.render.light.studio import FILE, made_levels

if __name__ == "__main__":
    np.savez_compressed(FILE, levels=made_levels().astype(np.float16))
