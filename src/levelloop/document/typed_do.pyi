"""What Session.do takes, operation by operation; made from the registry by tools/typed_do.py."""

from collections.abc import Sequence
from typing import Any, Literal, overload

class TypedDo:
    @overload
    def do(
        self,
        key: Literal["add_plane"],
        *,
        size: str | Sequence[float | str] = ...,
        cells: str | Sequence[float | str] = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A flat grid of quads."""

    @overload
    def do(
        self,
        key: Literal["add_box"],
        *,
        size: str | Sequence[float | str] = ...,
        cells: str | Sequence[float | str] = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A closed box of quads."""

    @overload
    def do(
        self,
        key: Literal["add_cylinder"],
        *,
        diameter: float | str = ...,
        height: float | str = ...,
        sides: float | str = ...,
        cells: float | str = ...,
        caps: Literal["face", "quads", "triangles", "open"] = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """Sixteen sides are enough where it will be smoothed; 24 where details must not pinch."""

    @overload
    def do(
        self,
        key: Literal["add_disc"],
        *,
        diameter: float | str = ...,
        sides: float | str = ...,
        fill: Literal["quads", "face", "triangles", "open"] = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A flat disc."""

    @overload
    def do(
        self,
        key: Literal["add_quad_sphere"],
        *,
        diameter: float | str = ...,
        cells: float | str = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """Six patches of quads; it smooths evenly but for its eight 3-poles."""

    @overload
    def do(
        self,
        key: Literal["add_cone"],
        *,
        bottom: float | str = ...,
        top: float | str = ...,
        height: float | str = ...,
        sides: float | str = ...,
        cells: float | str = ...,
        caps: Literal["face", "quads", "triangles", "open"] = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A tapered tip is better at 1 to 20 % of the bottom than at 0, which makes a fan of triangles."""

    @overload
    def do(
        self,
        key: Literal["add_tube"],
        *,
        outer: float | str = ...,
        inner: float | str = ...,
        height: float | str = ...,
        sides: float | str = ...,
        cells: float | str = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A pipe with a wall."""

    @overload
    def do(
        self,
        key: Literal["add_torus"],
        *,
        diameter: float | str = ...,
        thickness: float | str = ...,
        sides: float | str = ...,
        around: float | str = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A ring; 8 around are enough for a thin one."""

    @overload
    def do(
        self,
        key: Literal["add_sphere"],
        *,
        diameter: float | str = ...,
        sides: float | str = ...,
        rows: float | str = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """A sphere with poles pinches there; a quad sphere does not."""

    @overload
    def do(
        self,
        key: Literal["add_geodesic"],
        *,
        diameter: float | str = ...,
        splits: float | str = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """Triangles of nearly one size."""

    @overload
    def do(
        self,
        key: Literal["add_point"],
        *,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """To be extruded to edges."""

    @overload
    def do(
        self,
        key: Literal["add_line"],
        *,
        points: Any = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """Edges to be extruded, revolved or filled."""

    @overload
    def do(
        self,
        key: Literal["add_curve"],
        *,
        points: Any = ...,
        kind: Literal["straight", "smooth"] = ...,
        closed: bool | str = ...,
        radii: Any = ...,
        onto: str | None = ...,
        at: str | Sequence[float | str] = ...,
        axis: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        name: str = ...,
        into: str | None = ...,
    ) -> str:
        """To sweep or extrude along."""

    @overload
    def do(
        self,
        key: Literal["move"],
        *,
        by: str | Sequence[float | str] = ...,
        from_point: str | Sequence[float | str] | None = ...,
        to_point: str | Sequence[float | str] | None = ...,
        frame: Any = ...,
        soft_range: float | str = ...,
        soft_shape: Literal["bell", "dome", "cone"] = ...,
        along_surface: bool | str = ...,
        soft_centre: str | Sequence[float | str] | None = ...,
        soft_radii: str | Sequence[float | str] | None = ...,
    ) -> str:
        """Moves what is selected."""

    @overload
    def do(
        self,
        key: Literal["rotate"],
        *,
        angle: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        frame: Any = ...,
        soft_range: float | str = ...,
        soft_shape: Literal["bell", "dome", "cone"] = ...,
        along_surface: bool | str = ...,
        soft_centre: str | Sequence[float | str] | None = ...,
        soft_radii: str | Sequence[float | str] | None = ...,
    ) -> str:
        """Turns what is selected."""

    @overload
    def do(
        self,
        key: Literal["scale"],
        *,
        factors: float | str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        frame: Any = ...,
        soft_range: float | str = ...,
        soft_shape: Literal["bell", "dome", "cone"] = ...,
        along_surface: bool | str = ...,
        soft_centre: str | Sequence[float | str] | None = ...,
        soft_radii: str | Sequence[float | str] | None = ...,
    ) -> str:
        """Makes what is selected larger or smaller; 0 flattens."""

    @overload
    def do(
        self,
        key: Literal["move_along_normals"],
        *,
        distance: float | str = ...,
        keep_wall: bool | str = ...,
    ) -> str:
        """Moves what is selected along its normals."""

    @overload
    def do(
        self,
        key: Literal["place"],
        *,
        x: float | str | None = ...,
        y: float | str | None = ...,
        z: float | str | None = ...,
        by: str | Sequence[float | str] = ...,
    ) -> str:
        """Puts the middle, bottom or top, or a point, at exact coordinates."""

    @overload
    def do(
        self,
        key: Literal["resize"],
        *,
        size: Any = ...,
    ) -> str:
        """Gives the box around it a size; an axis left open goes in proportion."""

    @overload
    def do(
        self,
        key: Literal["align"],
        *,
        to: str | None = ...,
        axes: str = ...,
        side: Literal["middle", "low", "high"] = ...,
    ) -> str:
        """Brings it level with another part."""

    @overload
    def do(
        self,
        key: Literal["slant"],
        *,
        by: str | Sequence[float | str] = ...,
        along: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
    ) -> str:
        """Moves the far end and leaves the near one."""

    @overload
    def do(
        self,
        key: Literal["slide"],
        *,
        ratio: float | str | None = ...,
        distance: float | str | None = ...,
        keep_shape: bool | str = ...,
    ) -> str:
        """Slides edges along those beside them; positive to the left."""

    @overload
    def do(
        self,
        key: Literal["nudge"],
        *,
        path: Any = ...,
        mode: Literal["push", "smooth", "swell"] = ...,
        radius: float | str = ...,
        strength: float | str = ...,
    ) -> str:
        """Moves points under a brush."""

    @overload
    def do(
        self,
        key: Literal["make_round"],
        *,
        diameter: float | str | None = ...,
        equal_spacing: bool | str = ...,
    ) -> str:
        """Puts points on a circle."""

    @overload
    def do(
        self,
        key: Literal["flatten"],
        *,
        normal: str | Sequence[float | str] = ...,
    ) -> str:
        """Puts points on one plane."""

    @overload
    def do(
        self,
        key: Literal["straighten"],
        *,
        even: bool | str = ...,
    ) -> str:
        """Puts runs on the line between their ends."""

    @overload
    def do(
        self,
        key: Literal["even_out"],
    ) -> str:
        """Spaces points equally along their run."""

    @overload
    def do(
        self,
        key: Literal["relax"],
        *,
        times: float | str = ...,
        strength: float | str = ...,
        keep_outline: bool | str = ...,
    ) -> str:
        """Moves points towards the mean of their neighbours."""

    @overload
    def do(
        self,
        key: Literal["match_loop"],
        *,
        target: Any = ...,
        of: str | None = ...,
    ) -> str:
        """Puts a loop onto another."""

    @overload
    def do(
        self,
        key: Literal["set_anchor"],
        *,
        at: str | Sequence[float | str] = ...,
    ) -> str:
        """A point that pivots and typed values may use."""

    @overload
    def do(
        self,
        key: Literal["set_symmetry"],
        *,
        axis: Literal["off", "x", "y", "z"] = ...,
        tolerance: float | str = ...,
        by: Literal["by place", "by flow"] = ...,
    ) -> str:
        """Moves are made on both sides; off ends it."""

    @overload
    def do(
        self,
        key: Literal["to_plane"],
        *,
        axis: Literal["x", "y", "z"] = ...,
        within: float | str = ...,
    ) -> str:
        """Closes the middle of what is symmetric."""

    @overload
    def do(
        self,
        key: Literal["extrude"],
        *,
        distance: float | str = ...,
        direction: str | Sequence[float | str] = ...,
        steps: float | str = ...,
        end_scale: float | str = ...,
        each: bool | str = ...,
        rims: Any = ...,
    ) -> str:
        """Pulls faces out and closes their sides, edges to strips, points to wires."""

    @overload
    def do(
        self,
        key: Literal["inset"],
        *,
        width: float | str = ...,
        depth: float | str = ...,
        each: bool | str = ...,
    ) -> str:
        """Draws the rim of faces in and leaves a border of quads."""

    @overload
    def do(
        self,
        key: Literal["bevel"],
        *,
        width: float | str = ...,
        steps: float | str = ...,
        roundness: float | str = ...,
        middle_loop: bool | str = ...,
    ) -> str:
        """Replaces edges by strips of faces, points by rounded corners."""

    @overload
    def do(
        self,
        key: Literal["run_loop"],
        *,
        ratio: float | str | None = ...,
        distance: float | str | None = ...,
        count: float | str = ...,
        mirrored: bool | str = ...,
        follow: float | str = ...,
        within_selection: bool | str = ...,
    ) -> str:
        """Inserts edge loops around a ring."""

    @overload
    def do(
        self,
        key: Literal["join_points"],
    ) -> str:
        """Splits faces with edges between selected points."""

    @overload
    def do(
        self,
        key: Literal["turn_diagonal"],
    ) -> str:
        """Splits quads along their other diagonal where they are drawn or written as triangles."""

    @overload
    def do(
        self,
        key: Literal["weld"],
        *,
        distance: float | str = ...,
        onto_edges: bool | str = ...,
    ) -> str:
        """Makes points that lie together one."""

    @overload
    def do(
        self,
        key: Literal["take_out"],
        *,
        two_edge_points: bool | str = ...,
    ) -> str:
        """Takes edges out and joins the faces beside them."""

    @overload
    def do(
        self,
        key: Literal["fill"],
        *,
        kind: Literal["face", "triangles", "quads"] = ...,
        turn: float | str = ...,
    ) -> str:
        """Closes a hole, or makes a face from points."""

    @overload
    def do(
        self,
        key: Literal["delete"],
        *,
        keep_unattached: bool | str = ...,
    ) -> str:
        """Removes what is selected."""

    @overload
    def do(
        self,
        key: Literal["flip"],
    ) -> str:
        """Turns faces to face the other way."""

    @overload
    def do(
        self,
        key: Literal["weld_onto"],
        *,
        target: float | str | None = ...,
    ) -> str:
        """Pulls points onto the one picked last and makes them one."""

    @overload
    def do(
        self,
        key: Literal["collapse"],
    ) -> str:
        """Makes each connected group one point, at its middle."""

    @overload
    def do(
        self,
        key: Literal["take_out_row"],
    ) -> str:
        """The row of quads goes; its two sides become one line."""

    @overload
    def do(
        self,
        key: Literal["move_pole"],
        *,
        reach: float | str = ...,
    ) -> str:
        """The lines through it come along over the surface."""

    @overload
    def do(
        self,
        key: Literal["to_quads"],
        *,
        over: float | str = ...,
    ) -> str:
        """Joins triangles in pairs, the squarest first."""

    @overload
    def do(
        self,
        key: Literal["face_outward"],
    ) -> str:
        """Turns faces that look inwards."""

    @overload
    def do(
        self,
        key: Literal["extrude_along"],
        *,
        curve: Any = ...,
        steps: float | str = ...,
        end_scale: float | str = ...,
        twist: float | str = ...,
        even: bool | str = ...,
    ) -> str:
        """Pulls faces along a curve; they turn with it."""

    @overload
    def do(
        self,
        key: Literal["revolve"],
        *,
        angle: float | str = ...,
        steps: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        weld: float | str | None = ...,
    ) -> str:
        """Turns a profile about an axis."""

    @overload
    def do(
        self,
        key: Literal["helix"],
        *,
        pitch: float | str | None = ...,
        rise: float | str | None = ...,
        turns: float | str = ...,
        steps: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        run_out: float | str = ...,
        weld: float | str | None = ...,
    ) -> str:
        """Winds a profile about an axis: threads, springs."""

    @overload
    def do(
        self,
        key: Literal["sweep"],
        *,
        curve: Any = ...,
        steps: float | str = ...,
        sides: float | str = ...,
        caps: Literal["open", "face", "quads", "round"] = ...,
        even: bool | str = ...,
    ) -> str:
        """A profile along a curve; with nothing selected a round one by the curve's radii."""

    @overload
    def do(
        self,
        key: Literal["array"],
        *,
        count: float | str = ...,
        move: str | Sequence[float | str] = ...,
        rotate: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        scale: float | str = ...,
        weld: float | str | None = ...,
    ) -> str:
        """Rows and rings; 20 slices of 18° close."""

    @overload
    def do(
        self,
        key: Literal["mirror_across"],
        *,
        plane: Any = ...,
        keep: Literal["+", "-", "−"] | None = ...,
        weld: float | str = ...,
    ) -> str:
        """Adds the other side, or replaces it by the one that is kept."""

    @overload
    def do(
        self,
        key: Literal["thicken"],
        *,
        inward: float | str = ...,
        outward: float | str = ...,
        even_wall: bool | str = ...,
        rim_steps: float | str = ...,
        profile: Any = ...,
        reversed: bool | str = ...,
    ) -> str:
        """Gives a surface a wall and a rim."""

    @overload
    def do(
        self,
        key: Literal["groove"],
        *,
        width: float | str = ...,
        height: float | str = ...,
    ) -> str:
        """A sunk or raised line along edges."""

    @overload
    def do(
        self,
        key: Literal["split_ring"],
        *,
        count: float | str = ...,
    ) -> str:
        """Connects the middles of selected edges of a ring."""

    @overload
    def do(
        self,
        key: Literal["cut"],
        *,
        path: Any = ...,
        closed: bool | str = ...,
        ratio: float | str | None = ...,
        toward: str | Sequence[float | str] | None = ...,
        through: bool | str = ...,
    ) -> str:
        """Draws edges through faces, from point to point."""

    @overload
    def do(
        self,
        key: Literal["lay_strip"],
        *,
        path: Any = ...,
        width: float | str = ...,
        count: float | str = ...,
        onto: str | None = ...,
        weld: float | str | None = ...,
    ) -> str:
        """Quads along a line over another part's smooth surface; it closes where it ends at its start."""

    @overload
    def do(
        self,
        key: Literal["slice"],
        *,
        plane: Any = ...,
        offsets: Any = ...,
        keep: Literal["both", "front", "back"] = ...,
        fill: bool | str = ...,
    ) -> str:
        """Cuts through by planes."""

    @overload
    def do(
        self,
        key: Literal["subdivide"],
        *,
        times: float | str = ...,
        smooth: float | str = ...,
    ) -> str:
        """Splits faces into quads."""

    @overload
    def do(
        self,
        key: Literal["take_out_flats"],
        *,
        angle: float | str = ...,
    ) -> str:
        """Joins faces that lie flat beside each other."""

    @overload
    def do(
        self,
        key: Literal["weave"],
        *,
        turn: float | str = ...,
        blend: float | str = ...,
    ) -> str:
        """Closes a boundary with a grid of quads."""

    @overload
    def do(
        self,
        key: Literal["bridge"],
        *,
        steps: float | str = ...,
        twist: float | str = ...,
        bulge: float | str = ...,
    ) -> str:
        """Joins two groups of faces or two runs of edges."""

    @overload
    def do(
        self,
        key: Literal["swing_edge"],
        *,
        times: float | str = ...,
    ) -> str:
        """Turns an edge to the next corners of its two faces."""

    @overload
    def do(
        self,
        key: Literal["set_curve"],
        *,
        kind: Literal["straight", "smooth"] = ...,
        radius: float | str | None = ...,
    ) -> str:
        """How it runs through its points, and the radii of what is swept along it."""

    @overload
    def do(
        self,
        key: Literal["curve_to_edges"],
        *,
        steps: float | str = ...,
        even: bool | str = ...,
    ) -> str:
        """Edges instead of the curve, to be extruded or filled."""

    @overload
    def do(
        self,
        key: Literal["add_on_curve"],
        *,
        edge: Any = ...,
        ratio: float | str = ...,
    ) -> str:
        """Click on the curve where the point is to be."""

    @overload
    def do(
        self,
        key: Literal["part_curve"],
    ) -> str:
        """Each edge goes on with an end of its own."""

    @overload
    def do(
        self,
        key: Literal["space_curve"],
        *,
        count: float | str | None = ...,
        spacing: float | str | None = ...,
    ) -> str:
        """It keeps its way, its radii and its kind."""

    @overload
    def do(
        self,
        key: Literal["offset_curve"],
        *,
        distance: float | str = ...,
        axis: str | Sequence[float | str] = ...,
    ) -> str:
        """Square to itself: duplicate it first for two that run beside each other."""

    @overload
    def do(
        self,
        key: Literal["crease"],
        *,
        weight: float | str = ...,
    ) -> str:
        """Holds edges sharp; 10 never fades."""

    @overload
    def do(
        self,
        key: Literal["sharpen_points"],
        *,
        weight: float | str = ...,
    ) -> str:
        """Holds points sharp; 10 never fades."""

    @overload
    def do(
        self,
        key: Literal["seam"],
        *,
        on: bool | str = ...,
    ) -> str:
        """Edges where UV islands end."""

    @overload
    def do(
        self,
        key: Literal["shade"],
        *,
        kind: Literal["hard", "soft", "angle"] = ...,
        angle: float | str = ...,
    ) -> str:
        """Hard or soft, where a part is shown without smoothing."""

    @overload
    def do(
        self,
        key: Literal["set_level"],
        *,
        level: float | str = ...,
    ) -> str:
        """One level for view and output."""

    @overload
    def do(
        self,
        key: Literal["set_scheme"],
        *,
        boundary: Literal["edgeAndCorner", "edgeOnly", "none"] = ...,
        triangles: Literal["catmullClark", "smooth"] = ...,
        uv: Literal["none", "cornersOnly", "cornersPlus1", "cornersPlus2", "boundaries", "all"] = ...,
        creases: Literal["uniform", "chaikin"] = ...,
    ) -> str:
        """How the whole cage is smoothed, in OpenUSD's words."""

    @overload
    def do(
        self,
        key: Literal["hold"],
        *,
        radius: float | str = ...,
        distance: float | str | None = ...,
        sides: Literal["both", "left", "right"] = ...,
        by: Literal["loops", "crease"] = ...,
        fill: Literal["tip", "arc"] = ...,
    ) -> str:
        """Support loops beside edges, so that the smooth surface turns there with a given radius."""

    @overload
    def do(
        self,
        key: Literal["balance"],
        *,
        to: Literal["smaller", "larger", "mean"] = ...,
    ) -> str:
        """Slides the loops beside edges until both sides are equal: the turn is as round on the way in and out."""

    @overload
    def do(
        self,
        key: Literal["true_size"],
        *,
        diameter: float | str | None = ...,
        size: Any = ...,
        through: Literal["points"] | None = ...,
    ) -> str:
        """The cage shrinks when it is smoothed; this gives the smooth surface the typed size."""

    @overload
    def do(
        self,
        key: Literal["bake"],
        *,
        level: float | str | None = ...,
        take_out_flats: bool | str = ...,
    ) -> str:
        """The part becomes what it is smoothed to; creases and recipe will no longer update it."""

    @overload
    def do(
        self,
        key: Literal["material"],
        *,
        name: str = ...,
        colour: Any = ...,
        roughness: float | str | None = ...,
        metalness: float | str | None = ...,
        opacity: float | str | None = ...,
        refraction: float | str | None = ...,
        glow: float | str | None = ...,
        image: str | None = ...,
        rename: str | None = ...,
    ) -> str:
        """Makes or changes a material of the document; it begins as the shipped one of its name."""

    @overload
    def do(
        self,
        key: Literal["remove_material"],
        *,
        name: str = ...,
    ) -> str:
        """Faces that have it are plain again."""

    @overload
    def do(
        self,
        key: Literal["set_material"],
        *,
        material: str = ...,
    ) -> str:
        """A material by its name: clay, brass, glass, wood …; I, A shows them."""

    @overload
    def do(
        self,
        key: Literal["use_uv_set"],
        *,
        name: str = ...,
    ) -> str:
        """Another of several UV layouts of the part; a name that is new begins as a copy."""

    @overload
    def do(
        self,
        key: Literal["drop_uv_set"],
        *,
        name: str = ...,
    ) -> str:
        """Where it was worked on, the first of the others is from now on."""

    @overload
    def do(
        self,
        key: Literal["suggest_seams"],
        *,
        fold: float | str = ...,
        hidden_first: bool | str = ...,
    ) -> str:
        """Sharp folds first, then the shortest cuts that let everything lie flat."""

    @overload
    def do(
        self,
        key: Literal["unwrap"],
        *,
        method: Literal["low stretch", "angles"] = ...,
        pack: bool | str = ...,
        margin: float | str = ...,
        size: float | str = ...,
        smooth: bool | str = ...,
    ) -> str:
        """Lays islands flat between their seams; points of the set “pinned” keep their UV."""

    @overload
    def do(
        self,
        key: Literal["project_uv"],
        *,
        by: Literal["plane", "box", "cylinder", "sphere", "view"] = ...,
        axis: str | Sequence[float | str] = ...,
        size: float | str | None = ...,
    ) -> str:
        """From a plane, the six sides of a box, around a cylinder or a sphere, or along the view."""

    @overload
    def do(
        self,
        key: Literal["straighten_uv"],
    ) -> str:
        """Islands that are grids of quads become rectangles."""

    @overload
    def do(
        self,
        key: Literal["pack"],
        *,
        margin: float | str = ...,
        size: float | str = ...,
        turn: bool | str = ...,
        equal_density: bool | str = ...,
    ) -> str:
        """Puts islands beside each other into the unit square."""

    @overload
    def do(
        self,
        key: Literal["move_uv"],
        *,
        right: float | str = ...,
        up: float | str = ...,
        angle: float | str = ...,
        scale: float | str = ...,
        pivot: Literal["middle", "each"] = ...,
    ) -> str:
        """Islands, faces, edges or points of the UV view; the unit square is 1 wide."""

    @overload
    def do(
        self,
        key: Literal["join_uv"],
    ) -> str:
        """The smaller island comes to the larger one, and the edges are seams no more."""

    @overload
    def do(
        self,
        key: Literal["select_island"],
    ) -> str:
        """All that hangs together in UV, between seams."""

    @overload
    def do(
        self,
        key: Literal["step_mirror"],
        *,
        planes: Literal["x", "y", "z", "xy", "xz", "yz", "xyz"] = ...,
        weld: float | str = ...,
        uv: Literal["stack", "side by side"] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """The other side follows; both sides are one in the middle."""

    @overload
    def do(
        self,
        key: Literal["step_array"],
        *,
        count: float | str = ...,
        move: str | Sequence[float | str] = ...,
        rotate: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        scale: float | str = ...,
        weld: float | str | None = ...,
        uv: Literal["stack", "side by side"] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Rows and rings that follow; 20 slices of 18° close."""

    @overload
    def do(
        self,
        key: Literal["step_smooth"],
        *,
        level: float | str = ...,
        creases: bool | str = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Smoothing before what follows: bent afterwards, detail stays even."""

    @overload
    def do(
        self,
        key: Literal["step_hold"],
        *,
        set: str = ...,
        radius: float | str = ...,
        sides: Literal["both", "left", "right"] = ...,
        fill: Literal["tip", "arc"] = ...,
        step: float | str | None = ...,
    ) -> str:
        """Supports made when it is built: the cage stays low, the radius can be changed at any time."""

    @overload
    def do(
        self,
        key: Literal["step_true_size"],
        *,
        diameter: float | str | None = ...,
        size: Any = ...,
        through: Literal["points"] | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """The cage shrinks when it is smoothed; this gives the smooth surface the typed size."""

    @overload
    def do(
        self,
        key: Literal["step_bend"],
        *,
        angle: float | str = ...,
        along: str | Sequence[float | str] = ...,
        around: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        limits: str | Sequence[float | str] | None = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """What lies along one direction is bent around another; 360° closes a ring."""

    @overload
    def do(
        self,
        key: Literal["step_twist"],
        *,
        angle: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Turns more and more along an axis."""

    @overload
    def do(
        self,
        key: Literal["step_taper"],
        *,
        factor: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Narrower or wider towards one end; a tip is better at 0.01 to 0.2 than at 0."""

    @overload
    def do(
        self,
        key: Literal["step_slant"],
        *,
        by: str | Sequence[float | str] = ...,
        along: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Shifts by a pitch, more the farther along."""

    @overload
    def do(
        self,
        key: Literal["step_thicken"],
        *,
        inward: float | str = ...,
        outward: float | str = ...,
        even_wall: bool | str = ...,
        rim_steps: float | str = ...,
        profile: str | None = ...,
        reversed: bool | str = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Gives an open surface a wall and a rim."""

    @overload
    def do(
        self,
        key: Literal["step_revolve"],
        *,
        angle: float | str = ...,
        steps: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        weld: float | str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Turns a profile about an axis."""

    @overload
    def do(
        self,
        key: Literal["step_helix"],
        *,
        pitch: float | str | None = ...,
        rise: float | str | None = ...,
        turns: float | str = ...,
        steps: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        run_out: float | str = ...,
        weld: float | str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Winds a profile about an axis: threads, springs."""

    @overload
    def do(
        self,
        key: Literal["step_boolean"],
        *,
        kind: Literal["union", "subtract", "intersect"] = ...,
        other: str = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """With another part, as that part is now; it may go on changing."""

    @overload
    def do(
        self,
        key: Literal["step_sweep"],
        *,
        curve: str | None = ...,
        profile: str | None = ...,
        steps: float | str = ...,
        sides: float | str = ...,
        caps: Literal["open", "face", "quads", "round"] = ...,
        even: bool | str = ...,
        step: float | str | None = ...,
    ) -> str:
        """A profile part along a curve, or a circle by its radii; along the part's own wires where none is named."""

    @overload
    def do(
        self,
        key: Literal["step_extrude_along"],
        *,
        curve: str = ...,
        steps: float | str = ...,
        end_scale: float | str = ...,
        twist: float | str = ...,
        even: bool | str = ...,
        step: float | str | None = ...,
    ) -> str:
        """The part's faces pulled along a curve, turning with it."""

    @overload
    def do(
        self,
        key: Literal["step_array_along"],
        *,
        curve: str = ...,
        count: float | str | None = ...,
        spacing: float | str | None = ...,
        turning: bool | str = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Copies that ride on a curve, both ends included."""

    @overload
    def do(
        self,
        key: Literal["step_follow"],
        *,
        curve: str = ...,
        stretch: bool | str = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """What lies along x lies along a curve."""

    @overload
    def do(
        self,
        key: Literal["step_conform"],
        *,
        target: str = ...,
        direction: str | Sequence[float | str] = ...,
        both: bool | str = ...,
        offset: float | str = ...,
        onto: Literal["smooth", "cage"] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """All points onto the surface of another part."""

    @overload
    def do(
        self,
        key: Literal["step_lay_on"],
        *,
        target: str = ...,
        at: str | Sequence[float | str] = ...,
        turn: float | str = ...,
        size: float | str = ...,
        lift: float | str = ...,
        onto: Literal["smooth", "cage"] = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """What stands on the ground stands on another part's surface, its heights along the normals."""

    @overload
    def do(
        self,
        key: Literal["step_weld"],
        *,
        distance: float | str = ...,
        group: str | None = ...,
        step: float | str | None = ...,
    ) -> str:
        """Points that lie together become one, as where a bend has closed."""

    @overload
    def do(
        self,
        key: Literal["move_step"],
        *,
        step: float | str = ...,
        to: float | str = ...,
        group: str | None = ...,
    ) -> str:
        """Steps run from left to right; their order matters."""

    @overload
    def do(
        self,
        key: Literal["enable_step"],
        *,
        step: float | str = ...,
        on: bool | str = ...,
        group: str | None = ...,
    ) -> str:
        """A step that is off is left out."""

    @overload
    def do(
        self,
        key: Literal["remove_step"],
        *,
        step: float | str = ...,
        group: str | None = ...,
    ) -> str:
        """Takes a step out of the recipe."""

    @overload
    def do(
        self,
        key: Literal["copy_recipe"],
        *,
        to: str | None = ...,
    ) -> str:
        """Another part gets this part's steps in place of its own."""

    @overload
    def do(
        self,
        key: Literal["keep_recipe"],
        *,
        name: str = ...,
        group: str | None = ...,
    ) -> str:
        """The document keeps its steps under a name, for other parts."""

    @overload
    def do(
        self,
        key: Literal["use_recipe"],
        *,
        name: str = ...,
        after: bool | str = ...,
        group: str | None = ...,
    ) -> str:
        """The part gets steps that were kept under a name."""

    @overload
    def do(
        self,
        key: Literal["drop_recipe"],
        *,
        name: str = ...,
    ) -> str:
        """Parts that were given it stay as they are."""

    @overload
    def do(
        self,
        key: Literal["bake_steps"],
        *,
        until: float | str | None = ...,
        group: str | None = ...,
    ) -> str:
        """The cage becomes what the steps make of it; they are gone then."""

    @overload
    def do(
        self,
        key: Literal["keep_slice"],
        *,
        count: float | str = ...,
        axis: str | Sequence[float | str] = ...,
        pivot: str | Sequence[float | str] = ...,
        start: float | str = ...,
    ) -> str:
        """Work on one slice; an array step repeats it."""

    @overload
    def do(
        self,
        key: Literal["select_loop"],
    ) -> str:
        """The edge loop, or the face loop of two neighbouring faces."""

    @overload
    def do(
        self,
        key: Literal["select_ring"],
    ) -> str:
        """Edges across from each other in quads."""

    @overload
    def do(
        self,
        key: Literal["select_boundary"],
    ) -> str:
        """All open edges, of what is selected or of the whole cage."""

    @overload
    def do(
        self,
        key: Literal["grow"],
    ) -> str:
        """Adds what touches the selection."""

    @overload
    def do(
        self,
        key: Literal["shrink"],
    ) -> str:
        """Takes away its rim."""

    @overload
    def do(
        self,
        key: Literal["select_connected"],
    ) -> str:
        """Everything joined to the selection by edges."""

    @overload
    def do(
        self,
        key: Literal["select_between"],
    ) -> str:
        """The stretch between the last two picks."""

    @overload
    def do(
        self,
        key: Literal["inside"],
    ) -> str:
        """The smaller side of a closed loop of edges."""

    @overload
    def do(
        self,
        key: Literal["hide"],
        *,
        rest: bool | str = ...,
    ) -> str:
        """Hidden elements are never picked, walked to or moved."""

    @overload
    def do(
        self,
        key: Literal["show_all"],
    ) -> str:
        """Shows every hidden element again."""

    @overload
    def do(
        self,
        key: Literal["select_twins"],
        *,
        axis: Literal["x", "y", "z"] = ...,
        tolerance: float | str = ...,
    ) -> str:
        """Adds what lies across the plane from the selection."""

    @overload
    def do(
        self,
        key: Literal["outline"],
    ) -> str:
        """Edges between selected faces and the rest."""

    @overload
    def do(
        self,
        key: Literal["invert"],
    ) -> str:
        """What is not selected."""

    @overload
    def do(
        self,
        key: Literal["keep_set"],
        *,
        name: str = ...,
    ) -> str:
        """Keeps the selection under a name; with nothing selected the name is forgotten."""

    @overload
    def do(
        self,
        key: Literal["select_set"],
        *,
        name: str = ...,
    ) -> str:
        """Selects what was kept under a name."""

    @overload
    def do(
        self,
        key: Literal["select_where"],
        *,
        sentence: Any = ...,
        mode: Literal["only", "added", "taken out"] = ...,
    ) -> str:
        """By a property: faces where sides > 4; edges where angle > 30; points where valence 3 and plane x."""

    @overload
    def do(
        self,
        key: Literal["convert"],
        *,
        kind: Literal["points", "edges", "faces"] = ...,
    ) -> str:
        """The same place as another kind."""

    @overload
    def do(
        self,
        key: Literal["rename_part"],
        *,
        name: str = ...,
    ) -> str:
        """Gives the active part a name."""

    @overload
    def do(
        self,
        key: Literal["set_part"],
        *,
        part: str | None = ...,
        name: str | None = ...,
        colour: Any = ...,
        opacity: float | str | None = ...,
        visible: bool | str | None = ...,
        locked: bool | str | None = ...,
        helper: bool | str | None = ...,
        group: str | None = ...,
    ) -> str:
        """Name, looks and locks of a part; the active one where none is named."""

    @overload
    def do(
        self,
        key: Literal["remove_part"],
        *,
        part: str | None = ...,
    ) -> str:
        """Takes a part out of the document; the active one where none is named."""

    @overload
    def do(
        self,
        key: Literal["set_value"],
        *,
        name: str = ...,
        value: float | str = ...,
    ) -> str:
        """A length that typed numbers may use."""

    @overload
    def do(
        self,
        key: Literal["set_unit"],
        *,
        unit: Literal["mm", "cm", "m", "in", "ft"] = ...,
    ) -> str:
        """What numbers without a unit count in."""

    @overload
    def do(
        self,
        key: Literal["set_start_level"],
        *,
        level: float | str = ...,
    ) -> str:
        """What parts made from now on are given out at; those that are there stay as they are."""

    @overload
    def do(
        self,
        key: Literal["combine"],
        *,
        parts: Any = ...,
        weld: float | str | None = ...,
        name: str = ...,
    ) -> str:
        """Makes several parts one; all that are shown and unlocked where none are named."""

    @overload
    def do(
        self,
        key: Literal["detach"],
        *,
        by: Literal["selection", "connected", "material"] = ...,
        name: str = ...,
    ) -> str:
        """Takes faces into a part of their own."""

    @overload
    def do(
        self,
        key: Literal["duplicate"],
        *,
        new_part: bool | str = ...,
        name: str = ...,
    ) -> str:
        """Copies the selected faces, or the whole part."""

    @overload
    def do(
        self,
        key: Literal["boolean"],
        *,
        kind: Literal["union", "subtract", "intersect"] = ...,
        other: str | None = ...,
        clean: bool | str = ...,
        keep_other: bool | str = ...,
    ) -> str:
        """Unites two closed parts, takes one from the other, or keeps what both share."""

    @overload
    def do(
        self,
        key: Literal["clip"],
    ) -> str:
        """The cage ends where its image begins."""

    @overload
    def do(
        self,
        key: Literal["curve_from_edges"],
        *,
        name: str = ...,
    ) -> str:
        """To sweep or extrude along."""

    @overload
    def do(
        self,
        key: Literal["instance"],
        *,
        name: str = ...,
    ) -> str:
        """A part that shares this one's cage and has its own place."""

    @overload
    def do(
        self,
        key: Literal["attach"],
        *,
        to: str | None = ...,
    ) -> str:
        """It moves with the other part; nothing sets it free."""

    @overload
    def do(
        self,
        key: Literal["group_part"],
        *,
        group: str = ...,
    ) -> str:
        """Groups stand in the list as one; / makes groups in groups; no name takes it out."""

    @overload
    def do(
        self,
        key: Literal["reset_transform"],
    ) -> str:
        """The part stays where it is; its cage is in world space again."""

    @overload
    def do(
        self,
        key: Literal["clear_transform"],
    ) -> str:
        """Forgets how the part was moved as a whole."""

    @overload
    def do(
        self,
        key: Literal["add_guide"],
        *,
        path: str = ...,
        view: str = ...,
        width: float | str = ...,
        embed: bool | str = ...,
        name: str = ...,
    ) -> str:
        """A reference image in a view."""

    @overload
    def do(
        self,
        key: Literal["set_guide"],
        *,
        name: str = ...,
        opacity: float | str | None = ...,
        width: float | str | None = ...,
        at: str | Sequence[float | str] | None = ...,
        flip: bool | str | None = ...,
        crop: Literal["whole", "left", "right"] | None = ...,
        through: bool | str | None = ...,
        standing: bool | str | None = ...,
        locked: bool | str | None = ...,
        shown: bool | str | None = ...,
        onto: str | None = ...,
    ) -> str:
        """How a guide looks; nothing given leaves it."""

    @overload
    def do(
        self,
        key: Literal["calibrate_guide"],
        *,
        name: str = ...,
        start: str | Sequence[float | str] = ...,
        end: str | Sequence[float | str] = ...,
        length: float | str = ...,
    ) -> str:
        """Two places of the image and how far apart they truly are."""

    @overload
    def do(
        self,
        key: Literal["remove_guide"],
        *,
        name: str = ...,
    ) -> str:
        """Takes an image out."""

    @overload
    def do(
        self,
        key: Literal["keep_camera"],
        *,
        name: str = ...,
        target: str | Sequence[float | str] = ...,
        distance: float | str = ...,
        turn: float | str = ...,
        tilt: float | str = ...,
        perspective: bool | str = ...,
        field_of_view: float | str = ...,
        shift: str | Sequence[float | str] = ...,
    ) -> str:
        """A place to look from under a name."""

    @overload
    def do(
        self,
        key: Literal["set_camera"],
        *,
        name: str = ...,
        field_of_view: float | str | None = ...,
        shift: str | Sequence[float | str] | None = ...,
        perspective: bool | str | None = ...,
    ) -> str:
        """What is at its target stays as large; nothing given leaves it."""

    @overload
    def do(
        self,
        key: Literal["remove_camera"],
        *,
        name: str = ...,
    ) -> str:
        """Takes a camera out."""
