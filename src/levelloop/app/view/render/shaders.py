"""The programs that run on the GPU: vertex and fragment shader of each, in GLSL 3.30."""

from __future__ import annotations

SIEVE = """
    uniform vec4 focus; uniform vec3 cone;
    // What lies in a cone from the place looked at towards the eye is drawn as through a sieve, fine at its rim.
    // focus: pixels, depth of the window, distance; cone: its slope in pixels for 1 mm, its widest, mm of the depth.
    bool is_sieved() {
        if (cone.x <= 0.0) return false;
        float before = cone.z > 0.0 ? (focus.z - gl_FragCoord.z) * cone.z : focus.w - 1.0 / gl_FragCoord.w;
        float far = distance(gl_FragCoord.xy, focus.xy) / max(min(before * cone.x, cone.y), 1e-6);
        if (before <= 0.0 || far >= 1.0) return false;
        ivec2 cell = ivec2(gl_FragCoord.xy) & 3;
        const int order[16] = int[16](0, 8, 2, 10, 12, 4, 14, 6, 3, 11, 1, 9, 15, 7, 13, 5);
        float kept = mix(0.07, 1.0, smoothstep(0.6, 1.0, far));
        return (float(order[cell.y * 4 + cell.x]) + 0.5) / 16.0 > kept;
    }
"""
STUDIO = """
    uniform bool in_studio; uniform sampler2D studio; uniform mat3 view_to_world;
    uniform float mirrors; uniform float glow;
    const float LEVELS = 7.0; const float TALL = 48.0;
    const float SEEN[6] = float[6](0.0, 0.18, 0.32, 0.48, 0.68, 1.0);
    vec3 to_linear(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
    vec3 to_screen(vec3 c) {
        c = clamp(c, 0.0, 1.0);
        return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
    }
    vec3 level_of_studio(vec2 at, float level) {
        // One level below the other: never across the border between two.
        float row = clamp(at.y * TALL, 0.5, TALL - 0.5) + level * TALL;
        return textureLod(studio, vec2(at.x, row / (LEVELS * TALL)), 0.0).rgb;
    }
    vec2 in_the_round(vec3 way) {
        return vec2(atan(way.y, way.x) / 6.28318531, acos(clamp(way.z, -1.0, 1.0)) / 3.14159265);
    }
    // What a surface looks like in the studio: diffuse light, and what it mirrors by its roughness.
    // What is mirrored along the way to the eye: Karis 2014, "Physically based shading on mobile".
    vec4 seen_in_studio(vec3 base, float opacity_, vec3 n, vec3 eye, float rough, float metal) {
        vec3 normal = view_to_world * n;
        vec3 mirrored = reflect(-(view_to_world * eye), normal);
        float facing = clamp(dot(n, eye), 0.0, 1.0);
        // Where the surface turns within a pixel it mirrors as a rougher one: Tokuyoshi & Kaplanyan 2019.
        vec3 turned_x = dFdx(n); vec3 turned_y = dFdy(n);
        float spread = min(0.5 * (dot(turned_x, turned_x) + dot(turned_y, turned_y)), 0.18);
        rough = sqrt(sqrt(clamp(rough * rough * rough * rough + spread, 0.0, 1.0)));
        float level = 0.0;
        for (int i = 0; i < 5; i++) level += clamp((rough - SEEN[i]) / (SEEN[i + 1] - SEEN[i]), 0.0, 1.0);
        float lower = min(floor(level), 4.0);
        vec2 at = in_the_round(mirrored);
        vec3 room = mix(level_of_studio(at, lower), level_of_studio(at, lower + 1.0), level - lower);
        vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
        float a = min(r.x * r.x, exp2(-9.28 * facing)) * r.x + r.y;
        vec2 share = vec2(-1.04, 1.04) * a + r.zw;
        vec3 colour_ = to_linear(base);
        vec3 head_on = mix(vec3(mirrors), colour_, metal);
        vec3 sheen = room * (head_on * share.x + share.y);
        vec3 inner = colour_ * ((1.0 - metal) * level_of_studio(in_the_round(normal), LEVELS - 1.0) + glow);
        // One looks through what is clear, not through what it mirrors.
        float covered = opacity_ + (1.0 - opacity_) * clamp(max(sheen.r, max(sheen.g, sheen.b)), 0.0, 1.0);
        return vec4(to_screen((inner * opacity_ + sheen) / max(covered, 1e-3)), covered);
    }
"""
SURFACE = (
    """#version 330
    uniform mat4 world_to_clip; uniform mat4 world_to_view;
    in vec3 place; in vec3 normal; in vec2 bend; in vec2 uv;
    out vec2 bends; out vec2 flat_place; out vec3 view_normal; out vec3 view_place; out vec3 world_place;
    void main() {
        world_place = place;
        bends = bend;
        flat_place = uv;
        view_normal = mat3(world_to_view) * normal;
        view_place = (world_to_view * vec4(place, 1.0)).xyz;
        gl_Position = world_to_clip * vec4(place, 1.0);
    }""",
    """#version 330"""
    + SIEVE
    + STUDIO
    + """
    uniform vec4 front; uniform vec4 back; uniform float perspective; uniform vec4 section;
    uniform int shading; uniform bool hide_inside; uniform float hollow;
    uniform bool projects; uniform sampler2D image; uniform vec4 to_image_u; uniform vec4 to_image_v;
    uniform vec4 to_image_w; uniform vec3 shines; uniform vec2 part; uniform float opacity; uniform bool flip;
    uniform float roughness; uniform float metalness;
    uniform float stripes; uniform vec3 stripe_axis; uniform vec3 rake;
    uniform bool has_bends; uniform int which_bend; uniform float gain; uniform sampler2D ramp;
    uniform bool laid_on; uniform sampler2D skin;
    in vec2 bends; in vec2 flat_place; in vec3 view_normal; in vec3 view_place; in vec3 world_place;
    out vec4 colour;
    void main() {
        if (dot(section.xyz, world_place) > section.w || is_sieved()) discard;
        if (hide_inside && !gl_FrontFacing) discard;
        if (shading == 1) { colour = front; return; }
        if (dot(section.xyz, section.xyz) > 0.5 && !gl_FrontFacing) {
            // Through a cut one looks into the body: its inside is drawn flat and hatched, as if the cut were closed.
            float stripe = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0));
            colour = vec4(mix(back.rgb, front.rgb, 0.35) * (0.82 + 0.12 * stripe), front.a);
            return;
        }
        // What faces away is shown in its own colour, lit as if it faced here.
        vec3 base = gl_FrontFacing ? front.rgb : back.rgb;
        // Pictures count from above, UV from below.
        if (laid_on) base = texture(skin, vec2(flat_place.x, 1.0 - flat_place.y)).rgb;
        vec3 n = normalize(view_normal);
        if (projects && dot(n, shines) > 0.05) {
            vec4 here = vec4(world_place, 1.0);
            vec2 at = vec2(dot(to_image_u, here), dot(to_image_v, here)) / dot(to_image_w, here);
            // Read outside the test: a texture needs its neighbours to know how coarse it may be.
            vec4 seen = texture(image, vec2(flip ? 1.0 - at.x : at.x, 1.0 - at.y));
            if (at.x >= part.x && at.x <= part.y && at.y >= 0.0 && at.y <= 1.0)
                base = mix(base, seen.rgb, seen.a * opacity);
        }
        vec3 eye = perspective > 0.5 ? normalize(-view_place) : vec3(0.0, 0.0, 1.0);
        if (!gl_FrontFacing) n = -n;
        if (in_studio && shading == 0) { colour = seen_in_studio(base, front.a, n, eye, roughness, metalness); return; }
        vec3 key = normalize(vec3(-0.48, 0.48, 0.74));
        vec3 fill = normalize(vec3(0.75, -0.1, 0.45));
        float wrap = 0.5 * dot(n, key) + 0.5;
        float lit = 0.46 + 0.54 * wrap * wrap + 0.16 * max(dot(n, fill), 0.0);
        float rim = pow(1.0 - max(dot(n, eye), 0.0), 3.0) * max(n.y * 0.5 + 0.5, 0.0);
        vec3 half_way = normalize(key + eye);
        // Clay shines as it always did; what is smoother has a smaller, brighter light in it.
        float polish = clamp((0.8 - roughness) / 0.8, -0.25, 1.0);
        float gloss = mix(0.10, 0.75, max(polish, 0.0)) * (1.0 + 3.0 * min(polish, 0.0))
                    * pow(max(dot(n, half_way), 0.0), mix(28.0, 220.0, max(polish, 0.0)));
        if (shading == 3) {
            // What a room of lit strips around an axis looks like in the surface: strips of even angle.
            vec3 mirrored = reflect(-eye, n);
            float at = acos(clamp(dot(mirrored, stripe_axis), -1.0, 1.0)) / 3.14159265 * stripes;
            float edge = max(fwidth(at), 1e-4);
            float saw = abs(fract(at) - 0.5) - 0.25;
            float bright = clamp(saw / edge + 0.5, 0.0, 1.0);
            // Strips finer than a pixel are the grey that they mix to.
            bright = mix(bright, 0.5, smoothstep(0.35, 0.9, edge));
            vec3 seen = mix(vec3(0.13, 0.15, 0.19), vec3(0.97, 0.96, 0.93), bright);
            colour = vec4(seen * (0.86 + 0.14 * max(dot(n, eye), 0.0)), front.a);
            return;
        }
        if (shading == 4 || shading == 6) {
            float value = bends.x;
            if (shading == 4)
                value = which_bend == 0 ? 0.5 * (bends.x + bends.y) : which_bend == 1 ? bends.x
                      : which_bend == 2 ? bends.y : bends.x * bends.y;
            float at = shading == 4 ? 0.5 + 0.5 * clamp(value * gain, -1.0, 1.0) : clamp(value * gain, 0.0, 1.0);
            // From the middle of the first colour to that of the last: beyond it they would run into each other.
            float steps = float(textureSize(ramp, 0).x);
            vec3 shown = textureLod(ramp, vec2((at * (steps - 1.0) + 0.5) / steps, 0.5), 0.0).rgb;
            vec3 seen = has_bends ? shown : vec3(0.80, 0.79, 0.77);
            colour = vec4(seen * (0.72 + 0.28 * wrap) + vec3(0.6 * gloss), front.a);
            return;
        }
        if (shading == 5) {
            float raked = max(dot(n, rake), 0.0);
            colour = vec4(base * (0.07 + 1.02 * pow(raked, 0.8)) + vec3(0.25 * gloss), front.a);
            return;
        }
        if (shading == 2) {
            // How fast the normal turns towards itself over the picture: positive on ridges, negative in valleys.
            vec3 along = dFdx(view_place); vec3 down = dFdy(view_place);
            float turn = dot(dFdx(n), along) / max(dot(along, along), 1e-12)
                       + dot(dFdy(n), down) / max(dot(down, down), 1e-12);
            float deep = clamp(-turn * hollow, 0.0, 1.0);
            float high = clamp(turn * hollow, 0.0, 1.0);
            colour = vec4(mix(vec3(0.84, 0.82, 0.78), vec3(0.16, 0.20, 0.30), deep) + 0.14 * high, front.a);
            return;
        }
        // A metal has no colour of its own but in what it mirrors: a bright room above, a dark one below.
        vec3 mirrored = reflect(-eye, n);
        float room = mix(0.30, 1.15, smoothstep(-0.55, 0.75, mirrored.y)) + 0.25 * smoothstep(0.80, 0.97, mirrored.y);
        vec3 plain = base * lit + vec3(gloss);
        vec3 metal = base * mix(mix(room, lit, roughness), 1.6, min(gloss, 1.0));
        colour = vec4(mix(plain, metal, metalness) + vec3(0.16, 0.165, 0.175) * rim, front.a);
    }""",
)
LINE = (
    """#version 330
    uniform mat4 world_to_clip; uniform vec2 size; uniform float width; uniform float lift;
    in vec2 corner; in vec3 a; in vec3 b;
    out float across; out vec3 world_place;
    void main() {
        world_place = corner.x < 0.5 ? a : b;
        vec4 p = world_to_clip * vec4(a, 1.0); vec4 q = world_to_clip * vec4(b, 1.0);
        float near = 1e-5;
        if (p.w < near && q.w < near) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); across = 0.0; return; }
        if (p.w < near) p = mix(q, p, (q.w - near) / (q.w - p.w));
        if (q.w < near) q = mix(p, q, (p.w - near) / (p.w - q.w));
        vec2 s = p.xy / p.w * size * 0.5; vec2 t = q.xy / q.w * size * 0.5;
        vec2 along = t - s; float length_ = length(along);
        along = length_ > 1e-6 ? along / length_ : vec2(1.0, 0.0);
        vec2 side = vec2(-along.y, along.x);
        float half_width = width * 0.5 + 0.75;
        vec4 end = corner.x < 0.5 ? p : q;
        vec2 offset = side * (corner.y * 2.0 - 1.0) * half_width + along * (corner.x * 2.0 - 1.0) * 0.4;
        end.xy += offset / (size * 0.5) * end.w;
        end.z -= lift * end.w;
        across = (corner.y * 2.0 - 1.0) * half_width;
        gl_Position = end;
    }""",
    """#version 330"""
    + SIEVE
    + """
    uniform vec4 tint; uniform float width; uniform vec4 section;
    in float across; in vec3 world_place; out vec4 colour;
    void main() {
        if (dot(section.xyz, world_place) > section.w || is_sieved()) discard;
        float cover = clamp(width * 0.5 + 0.5 - abs(across), 0.0, 1.0);
        colour = vec4(tint.rgb, tint.a * cover);
    }""",
)
POINT = (
    """#version 330
    uniform mat4 world_to_clip; uniform vec2 size; uniform float width; uniform float lift;
    in vec2 corner; in vec3 a;
    out vec2 place; out vec3 world_place;
    void main() {
        world_place = a;
        vec4 p = world_to_clip * vec4(a, 1.0);
        place = (corner * 2.0 - 1.0) * (width * 0.5 + 1.0);
        p.xy += place / (size * 0.5) * p.w;
        p.z -= lift * p.w;
        gl_Position = p;
    }""",
    """#version 330"""
    + SIEVE
    + """
    uniform vec4 tint; uniform vec4 rim; uniform float width; uniform vec4 section;
    in vec2 place; in vec3 world_place; out vec4 colour;
    void main() {
        if (dot(section.xyz, world_place) > section.w || is_sieved()) discard;
        float r = length(place);
        float cover = clamp(width * 0.5 + 0.5 - r, 0.0, 1.0);
        float inner = clamp(width * 0.5 - 0.9 - r, 0.0, 1.0);
        colour = vec4(mix(rim.rgb, tint.rgb, inner), mix(rim.a, tint.a, inner) * cover);
    }""",
)
FLAT = (
    """#version 330
    uniform mat4 world_to_clip; uniform float lift; in vec3 place;
    void main() { gl_Position = world_to_clip * vec4(place, 1.0); gl_Position.z -= lift * gl_Position.w; }""",
    """#version 330
    uniform vec4 tint; out vec4 colour; void main() { colour = tint; }""",
)
SKY = (
    """#version 330
    in vec2 corner; out float height;
    void main() { height = corner.y; gl_Position = vec4(corner * 2.0 - 1.0, 0.9999, 1.0); }""",
    """#version 330
    uniform vec4 top; uniform vec4 bottom; in float height; out vec4 colour;
    void main() { colour = mix(bottom, top, smoothstep(0.0, 1.0, height)); }""",
)
IMAGE = (
    """#version 330
    uniform mat4 world_to_clip; uniform vec3 origin; uniform vec3 across; uniform vec3 upward; uniform vec2 part;
    in vec2 corner; out vec2 at;
    void main() {
        float u = mix(part.x, part.y, corner.x);
        at = vec2(u, 1.0 - corner.y);
        gl_Position = world_to_clip * vec4(origin + across * u + upward * corner.y, 1.0);
    }""",
    """#version 330
    uniform sampler2D image; uniform float opacity; uniform bool flip; in vec2 at; out vec4 colour;
    void main() {
        colour = texture(image, vec2(flip ? 1.0 - at.x : at.x, at.y));
        colour.a *= opacity;
    }""",
)
PICK = (
    """#version 330
    uniform mat4 world_to_clip; in vec3 place; out vec3 world_place;
    void main() { world_place = place; gl_Position = world_to_clip * vec4(place, 1.0); }""",
    """#version 330
    uniform vec4 section; uniform int first; in vec3 world_place; out vec4 colour;
    void main() {
        if (dot(section.xyz, world_place) > section.w) discard;
        int shown = first + gl_PrimitiveID;
        colour = vec4(shown & 255, (shown >> 8) & 255, (shown >> 16) & 255, (shown >> 24) & 255) / 255.0;
    }""",
)
CAST = (
    """#version 330
    uniform vec2 from; uniform float scale; uniform float height; in vec3 place; out float above;
    void main() {
        above = place.z + height;
        gl_Position = vec4((place.xy - from) * scale, 0.0, 1.0);
    }""",
    """#version 330
    uniform float reach; in float above; out vec4 dark;
    void main() {
        // What lies under the ground throws nothing on it.
        if (above < -0.02 * reach) discard;
        dark = vec4(exp(-max(above, 0.0) / reach));
    }""",
)
SOFTEN = (
    """#version 330
    in vec2 corner; out vec2 at;
    void main() { at = corner; gl_Position = vec4(corner * 2.0 - 1.0, 0.0, 1.0); }""",
    """#version 330
    uniform sampler2D image; uniform vec2 along; in vec2 at; out vec4 dark;
    void main() {
        float total = 0.0; float weight = 0.0;
        for (int i = -6; i <= 6; i++) {
            float share = exp(-float(i * i) / 18.0);
            total += share * texture(image, at + float(i) * along).r;
            weight += share;
        }
        dark = vec4(total / weight);
    }""",
)
LAY = (
    """#version 330
    uniform mat4 world_to_clip; uniform vec2 low; uniform float width; in vec2 corner; out vec2 at;
    void main() { at = corner; gl_Position = world_to_clip * vec4(low + width * corner, 0.0, 1.0); }""",
    """#version 330
    uniform sampler2D image; uniform vec4 tint; in vec2 at; out vec4 colour;
    void main() { colour = vec4(tint.rgb, tint.a * texture(image, at).r); }""",
)
