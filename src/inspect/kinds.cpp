// What each kind of finding is: the one source for messages, `--explain` and docs/kinds.md.

#include <array>

#include "aguja/inspect/finding.h"

namespace aguja {
namespace {

namespace kind_table {
using enum FindingKind;
using enum Severity;

constexpr FindingKind kCracks[] = {crack};
constexpr FindingKind kOpen[] = {crack, opening, nonmanifold_edge, winding_conflict,
                                 duplicate_triangle};
constexpr FindingKind kOpenOrCrossing[] = {crack, opening, crossing, overlap};

constexpr std::array<KindInfo, 50> kKinds = {{
    {.kind = crack,
     .slug = "crack",
     .family = "edges",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "largest width",
     .what = "two stretches of naked edges that only need joining",
     .why = "however narrow, the inside runs out through it, and no element crosses it",
     .remedy = "stitch",
     .hints = "Told from a gap by its width: the tolerance is a jump in the widths found, or what "
              "--tolerance says. Its hanging vertices, and contacts between its sides, count "
              "under it.",
     .picture = "  +-----+-----+-----+\n"
                "  |     |     |     |\n"
                "  +-----+-----+-----+   two rims, closer than\n"
                "  +--------+--------+   the tolerance all along\n"
                "  |        |        |\n",
     .waits_for = {}},
    {.kind = gap,
     .slug = "gap",
     .family = "edges",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "largest width",
     .what = "two stretches of naked edges that face each other, too far apart to be noise",
     .why = "a sliver of surface is missing; a mesher fills it badly or not at all",
     .remedy =
         "close-gaps: stitch with a larger tolerance if both sides may move so far, else fill",
     .hints = "Long against its width (five times at least). If its width is a real distance of "
              "the design, a face is missing: fill it.",
     .picture = "  +-----+-----+-----+\n"
                "  |     |     |     |\n"
                "  +-----+-----+-----+\n"
                "        <gap>           wider than the tolerance,\n"
                "  +--------+--------+   long against its width\n"
                "  |        |        |\n",
     .waits_for = {}},
    {.kind = opening,
     .slug = "opening",
     .family = "edges",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "rim length",
     .what = "a rim of naked edges around missing surface",
     .why = "the inside runs out through it: nothing can be filled with elements",
     .remedy = "fill",
     .hints = "What is left when all cracks are thought joined. Two loops with a band missing "
              "between them are one opening.",
     .picture = "  +----+----+----+\n"
                "  |   /      \\   |\n"
                "  +--+        +--+   the loop bounds a face\n"
                "  |   \\      /   |   that is not there\n"
                "  +----+----+----+\n",
     .waits_for = kCracks},
    {.kind = sheet_border,
     .slug = "sheet-border",
     .family = "edges",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "rim length",
     .what = "the rim of a sheet that encloses no volume",
     .why = "a sheet is no boundary of material; a volume mesher stops at it",
     .remedy = "drop, or offset to give it a thickness",
     .hints = "If the part is meant to be a sheet (shell elements), say so: intent = \"sheet\" in "
              "the profile; then this is no finding.",
     .picture = "  +----+----+----+\n"
                "  |    |    |    |   nothing lies behind it,\n"
                "  +----+----+----+   nothing in front\n",
     .waits_for = {}},
    {.kind = nonmanifold_edge,
     .slug = "nonmanifold-edge",
     .family = "edges",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "edge length",
     .what = "an edge with three or more triangles",
     .why = "which of the triangles bound the material cannot be told",
     .remedy = "drop the flap; or resolve, which parts or joins bodies that meet there",
     .hints = "A flap that hangs on the edge is told in the finding. Edges on which an internal "
              "face ends count under that face.",
     .picture = "        /\n"
                "  -----*-----    three or more triangles\n"
                "        \\        share the edge *\n",
     .waits_for = {}},
    {.kind = hanging_vertex,
     .slug = "hanging-vertex",
     .family = "edges",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "distance",
     .what = "a vertex on a rim that lies on the inside of a naked edge and should split it",
     .why = "the two rims touch in a point only: the surfaces are not connected there",
     .remedy = "stitch",
     .hints = "Those along a crack or a gap count under it; this is one that stands alone.",
     .picture = "  -----------------   naked edge\n"
                "         *            vertex of another rim\n"
                "        / \\\n",
     .waits_for = kCracks},
    {.kind = short_edge,
     .slug = "short-edge",
     .family = "edges",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "length",
     .what = "an edge between the corners of patches, or of two nearly equal vertices, far too "
             "short",
     .why = "it forces elements of its size, and a crowd of badly shaped ones around them",
     .remedy = "collapse: merged along its line, or pinched to a point",
     .smaller_is_worse = true,
     .hints = "The limit is short_edge in the profile; with an element size it is a part of that.",
     .picture = "  ---------------+-+-----------\n"
                "                 ^ far shorter than what\n"
                "                   an element may be\n",
     .waits_for = kCracks},
    {.kind = wire_edge,
     .slug = "wire-edge",
     .family = "edges",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "length",
     .what = "a line with no triangle on it",
     .why = "it bounds no surface; importers keep it as a stray curve",
     .remedy = "drop",
     .hints = "Usually left over from sketches or construction lines.",
     .picture = "  +-----+\n"
                "  |     |    *-----*-----*   a line by itself\n"
                "  +-----+\n",
     .waits_for = {}},
    {.kind = nonmanifold_vertex,
     .slug = "nonmanifold-vertex",
     .family = "vertices",
     .severity = error,
     .measures = Dimension::count,
     .measure_name = "fans",
     .what = "several fans of triangles that meet in nothing but one point",
     .why = "bodies that hang together by a point have no thickness there",
     .remedy = "resolve: contact = part, or by hand, since only the designer knows which",
     .hints = "Where openings meet in a point the pinch counts under them.",
     .picture = "  \\_____/\n"
                "   \\   /\n"
                "     *      two fans, one vertex\n"
                "   /   \\\n"
                "  /_____\\\n",
     .waits_for = kCracks},
    {.kind = near_vertices,
     .slug = "near-vertices",
     .family = "vertices",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "distance",
     .what = "vertices so near each other that they are probably meant to be one",
     .why = "importers that merge near points tie surfaces together there that are apart",
     .remedy = "weld, if they belong together; else by hand: move them apart",
     .smaller_is_worse = true,
     .hints = "Vertices that an edge joins are short edges; those of cracks count under them.",
     .picture = "  \\   /   \\   /\n"
                "   \\ /     \\ /\n"
                "    * <-->  *     nearer than any real feature\n",
     .waits_for = kCracks},
    {.kind = unused_vertex,
     .slug = "unused-vertex",
     .family = "vertices",
     .severity = note,
     .measures = Dimension::count,
     .measure_name = "vertices",
     .what = "points that no triangle or line uses",
     .why = "they only spoil boxes and counts",
     .remedy = "drop",
     .hints = "Harmless, unless they lie far from the part.",
     .picture = "  +-----+\n"
                "  |     |      .    a point that\n"
                "  +-----+           nothing refers to\n",
     .waits_for = {}},
    {.kind = zero_area,
     .slug = "zero-area",
     .family = "triangles",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "longest side",
     .what = "a triangle of exactly no area",
     .why = "it has no normal; elements grown on it have no volume",
     .remedy = "collapse",
     .hints = "A cap has its corners on one line, a needle two equal corners, a point three.",
     .picture = "  *--------*--------*   cap: three corners on a line\n"
                "  *=================*   needle: two corners are one\n",
     .waits_for = {}},
    {.kind = sliver_triangle,
     .slug = "sliver-triangle",
     .family = "triangles",
     .severity = warning,
     .measures = Dimension::ratio,
     .measure_name = "worst aspect ratio",
     .what = "triangles that are far longer than high",
     .why = "meshers that keep the triangulation make elements as bad as these; rounding turns "
            "them over",
     .remedy = "collapse",
     .hints = "Aspect ratio: longest side by the height on it. Long triangles on flat and ruled "
              "faces are normal; only extreme ones are told.",
     .picture = "  *---------------------------*\n"
                "     `-------..*..-------'      height << length\n",
     .waits_for = kCracks},
    {.kind = duplicate_triangle,
     .slug = "duplicate-triangle",
     .family = "triangles",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "area of the copies",
     .what = "the same triangle more than once, facing the same way",
     .why = "its edges carry too many triangles, and the surface meets itself all over",
     .remedy = "drop the copies",
     .hints = "The edges that it overloads count under it.",
     .picture = "     *\n"
                "    /|\\\n"
                "   /_|_\\    1x, 2x, ... on the same corners\n",
     .waits_for = {}},
    {.kind = back_to_back,
     .slug = "back-to-back",
     .family = "triangles",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "area of the copies",
     .what = "two triangles on the same three vertices, facing opposite ways",
     .why = "a wall without thickness: elements on both sides of nothing",
     .remedy = "drop the pair",
     .hints = "Between two bodies of one part it is a wall inside the material.",
     .picture = "    ^\n"
                "  --+------  facing up\n"
                "  ------+--  and down, no distance between\n"
                "        v\n",
     .waits_for = {}},
    {.kind = folded_triangle,
     .slug = "folded-triangle",
     .family = "triangles",
     .severity = warning,
     .measures = Dimension::angle,
     .measure_name = "least angle to a neighbour",
     .what = "a triangle folded back onto its neighbours",
     .why = "the surface turns back on itself: offsets and boundary layers grow through each other",
     .remedy = "collapse",
     .smaller_is_worse = true,
     .hints = "Folded so far that it lies on its neighbours exactly, it is an overlap.",
     .picture = "  ------------.\n"
                "        _____/     one triangle back,\n"
                "       `-------    then on again\n",
     .waits_for = kCracks},
    {.kind = winding_conflict,
     .slug = "winding-conflict",
     .family = "orientation",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "edge length",
     .what = "neighbours that face opposite ways",
     .why = "inside and outside change places across the edge",
     .remedy = "orient",
     .hints = "The finding names the triangles on the side that is turned against the rest.",
     .picture = "     ^           \n"
                "  ---+---*-------    normals on both sides\n"
                "             v       of the edge * disagree\n",
     .waits_for = {}},
    {.kind = inverted_patch,
     .slug = "inverted-patch",
     .family = "orientation",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "area",
     .what = "a piece of the surface that faces inward, cut off from its neighbours by cracks or "
             "gaps",
     .why = "inside and outside change places there",
     .remedy = "orient",
     .hints = "Told by its neighbours across cracks, or by winding numbers; the margin says how "
              "clearly (1: not to be shaken).",
     .picture = "  ---^--- | ------- | ---^---\n"
                "          |    v    |         one patch faces inward\n",
     .waits_for = kOpen},
    {.kind = inverted_shell,
     .slug = "inverted-shell",
     .family = "orientation",
     .severity = error,
     .measures = Dimension::volume,
     .measure_name = "volume",
     .what = "a shell that faces inward",
     .why = "its volume is negative: the mesher fills the world around it, or nothing",
     .remedy = "orient",
     .hints = "Exact where shells are closed; where they are open it is told by winding numbers, "
              "with a margin.",
     .picture = "  +-----------+\n"
                "  |  ->   <-  |   normals point\n"
                "  |  ->   <-  |   into the body\n"
                "  +-----------+\n",
     .waits_for = kOpen},
    {.kind = normal_mismatch,
     .slug = "normal-mismatch",
     .family = "orientation",
     .severity = note,
     .measures = Dimension::count,
     .measure_name = "triangles",
     .what = "normals stored in the file that contradict the order of the corners",
     .why = "programs that believe the normals see another outside than those that believe the "
            "corners",
     .remedy = "convert: written files get normals from the corners",
     .hints = "We go by the corners. STL only; zero normals say nothing and are not counted.",
     .picture = "       ^ by the corners a, b, c\n"
                "  a----+----b\n"
                "       v as stored\n",
     .waits_for = {}},
    {.kind = crossing,
     .slug = "crossing",
     .family = "crossings",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "length of the curve",
     .what = "triangles that pass through each other",
     .why = "the surface has no inside there; boundary recovery fails or never ends",
     .remedy = "resolve",
     .hints = "Decided exactly. Of bodies that each have an inside by themselves the depth is "
              "told: how far "
              "the surface of one lies in the other. Else, how far the triangles reach past each "
              "other.",
     .picture = "       |\n"
                "  -----+-----   not in a shared\n"
                "       |        vertex or edge\n",
     .waits_for = kCracks},
    {.kind = overlap,
     .slug = "overlap",
     .family = "crossings",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "common area",
     .what = "triangles that lie over each other in a plane, or are folded over",
     .why = "one place of the surface is there twice, with nothing between",
     .remedy = "resolve",
     .hints =
         "Decided exactly: in one plane, with common area. Also the borders of open surfaces that "
         "run on over another one a hair away (1/1000 of the diagonal), facing the same way.",
     .picture = "  +-------+\n"
                "  |   +===+---+   one plane,\n"
                "  +---+===+   |   two triangles\n"
                "      +-------+\n",
     .waits_for = kCracks},
    {.kind = touch,
     .slug = "touch",
     .family = "crossings",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "length of contact",
     .what = "triangles in contact that do not share the vertices or edges there",
     .why = "the mesher sees no connection where the geometry has one: elements without thickness",
     .remedy = "stitch where edges are naked, else resolve",
     .hints = "Decided exactly: a vertex on a triangle or an edge, or two edges that meet.",
     .picture = "      \\ /\n"
                "  -----*-----   contact without\n"
                "                a shared vertex\n",
     .waits_for = kCracks},
    {.kind = internal_face,
     .slug = "internal-face",
     .family = "volume",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "area",
     .what = "a wall with the same material on both sides",
     .why = "the mesher divides the body there, or takes the wall for a slit",
     .remedy = "drop, or resolve",
     .hints = "If the wall parts two materials on purpose, make them two parts. The non-manifold "
              "edges where it ends count under it.",
     .picture = "  +-----+-----+\n"
                "  |/////|/////|   the wall in the middle\n"
                "  |/////|/////|   bounds nothing\n"
                "  +-----+-----+\n",
     .waits_for = kOpenOrCrossing},
    {.kind = stray_shell,
     .slug = "stray-shell",
     .family = "volume",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "diagonal",
     .what = "a piece far smaller than the part, connected to nothing",
     .why = "left-overs of modelling become bodies of their own with tiny elements",
     .remedy = "drop",
     .hints = "The limit is stray_shell in the profile.",
     .picture = "  +-----------+\n"
                "  |           |   .o   a crumb beside the part\n"
                "  +-----------+\n",
     .waits_for = {}},
    {.kind = loose_sheet,
     .slug = "loose-sheet",
     .family = "volume",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "area",
     .what = "a sheet that encloses nothing, beside or inside a body",
     .why = "it is no boundary of material; a mesher stops at its border or cuts the body along it",
     .remedy = "drop",
     .hints = "Its border counts under it. Its place against the material is told in the finding.",
     .picture = "  +---------+     ___\n"
                "  |  body   |    /   \\   a sheet that\n"
                "  +---------+            bounds nothing\n",
     .waits_for = kCracks},
    {.kind = zero_volume,
     .slug = "zero-volume",
     .family = "volume",
     .severity = error,
     .measures = Dimension::area,
     .measure_name = "area",
     .what = "a closed shell that encloses exactly no volume",
     .why = "there is nothing to fill",
     .remedy = "drop",
     .hints = "Usually a face that is there twice, once from each side.",
     .picture = "  .============.   closed all around,\n"
                "  `============'   flat as a sheet\n",
     .waits_for = {}},
    {.kind = nesting,
     .slug = "nesting",
     .family = "volume",
     .severity = error,
     .measures = Dimension::volume,
     .measure_name = "volume",
     .what = "a shell inside another that faces the same way",
     .why = "a cavity turned wrong is filled twice; a body in a body is meshed twice",
     .remedy = "by hand: cavity or body, only the designer knows",
     .hints = "A cavity: turn it over (orient). A body of its own: make it a part.",
     .picture = "  +------------->   outer, facing outward\n"
                "  |  +----->        inner, facing outward too:\n"
                "  |  |  ?  |        cavity or body?\n"
                "  |  +-----+\n",
     .waits_for = kOpen},
    {.kind = sliver_patch,
     .slug = "sliver-patch",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "width",
     .what = "a patch that is far longer than wide",
     .why = "elements across it are as small as it is wide",
     .remedy = "absorb",
     .smaller_is_worse = true,
     .hints = "Width: that of the rectangle with the patch's area and border length. The limit is "
              "sliver_patch in the profile.",
     .picture = "  +---------------------------+\n"
                "  |                           |\n"
                "  +===========================+  <- width\n"
                "  |                           |\n",
     .waits_for = kCracks},
    {.kind = tiny_patch,
     .slug = "tiny-patch",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "size",
     .what = "a patch far smaller than an element should be",
     .why = "the mesh is refined around it for nothing",
     .remedy = "absorb",
     .smaller_is_worse = true,
     .hints =
         "Size: the farthest that two of its vertices are apart. The limit is tiny_patch in the "
         "profile.",
     .picture = "  +-----------+-----------+\n"
                "  |           o           |   o: a patch of its own\n"
                "  +-----------+-----------+\n",
     .waits_for = kCracks},
    {.kind = acute_corner,
     .slug = "acute-corner",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::angle,
     .measure_name = "angle",
     .what = "a patch that ends in a sharp point",
     .why = "the elements in the point are slivers, whatever their size",
     .remedy = "collapse",
     .smaller_is_worse = true,
     .hints = "The angle of the patch itself at the corner, measured in its triangles.",
     .picture = "  -------------------.\n"
                "          ----------'   the border comes back\n"
                "  ------'               upon itself\n",
     .waits_for = kCracks},
    {.kind = knife_edge,
     .slug = "knife-edge",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::angle,
     .measure_name = "angle",
     .what = "two patches that meet at a very small angle",
     .why = "elements in the wedge are flat, or shrink towards its edge without end",
     .remedy = "by hand: blunt or fill the wedge, as the drawing allows",
     .smaller_is_worse = true,
     .hints = "The angle through the material, or through the air of a notch; which is told.",
     .picture = "  -----------------------.\n"
                "  ///////////-----------'   material runs out\n"
                "  -----------               to nothing\n",
     .waits_for = kCracks},
    {.kind = split_patch,
     .slug = "split-patch",
     .family = "patches",
     .severity = note,
     .measures = Dimension::count,
     .measure_name = "patches",
     .what = "a plane that is needlessly divided into several patches",
     .why = "the mesher must put nodes on lines that mean nothing",
     .remedy = "absorb",
     .hints = "Only where the file brings patches of its own. Keep the division if loads or "
              "contacts need it.",
     .picture = "  +--------+--------+\n"
                "  |   1    :   2    |   one plane,\n"
                "  +--------+--------+   two patches\n",
     .waits_for = {}},
    {.kind = runaway_face,
     .slug = "runaway-face",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "reach beyond the border",
     .what = "a patch that bulges far beyond its own border",
     .why = "the face was not trimmed, or not as meant: the body has a spike or a bubble",
     .remedy = "refit",
     .hints = "Not told of recognised cylinders, cones, spheres and tori, which may bulge.",
     .picture = "        /\\\n"
                "       /  \\      the face leaves the\n"
                "  +---'    '---+ loop that bounds it\n",
     .waits_for = kCracks},
    {.kind = thin_wall,
     .slug = "thin-wall",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "least thickness",
     .what = "two surfaces that face away from each other with little material between",
     .why = "too few elements across it bend wrongly; tolerances larger than it collapse it",
     .remedy = "by hand: keep it and mesh finer, or model it as a sheet with a thickness",
     .smaller_is_worse = true,
     .hints = "Measured straight through from the middle of each triangle to the surface "
              "opposite. Wedges are told as knife edges, at their edge.",
     .picture = "      ^ ^ ^\n"
                "  =============  thickness\n"
                "      v v v\n",
     .waits_for = kOpenOrCrossing},
    {.kind = narrow_slot,
     .slug = "narrow-slot",
     .family = "patches",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "least width",
     .what = "surfaces of a part that face each other with little air between: a slot or a hole",
     .why = "a mesh of the element size bridges it or crosses itself there, and what happens in it "
            "is lost",
     .remedy = "by hand: close it if it does not matter, or mesh finer around it",
     .smaller_is_worse = true,
     .hints = "Looked for with an element size, or if the profile sets a limit. Measured straight "
              "out from the middle of each triangle to the surface opposite.",
     .picture = "  =============\n"
                "      v v v       width\n"
                "      ^ ^ ^\n"
                "  =============\n",
     .waits_for = kOpenOrCrossing},
    {.kind = interference,
     .slug = "interference",
     .family = "assembly",
     .severity = error,
     .measures = Dimension::volume,
     .measure_name = "volume that both fill",
     .what = "two parts pass through each other",
     .why = "the space that both fill would be meshed twice, or with either material",
     .remedy = "by hand: which of the two gives way is a question of the design",
     .hints = "What goes no deeper than facets may be off, or than single precision tells, is "
              "contact. Meant so (a weld, a press fit)? Waive it in the profile, or say "
              "--parts-apart.",
     .picture = "  +--------+\n"
                "  |    +---+----+\n"
                "  |    |xxx|    |   both fill x\n"
                "  +----+---+    |\n"
                "       +--------+\n",
     .waits_for = {}},
    {.kind = enclosed_part,
     .slug = "enclosed-part",
     .family = "assembly",
     .severity = error,
     .measures = Dimension::volume,
     .measure_name = "volume that both fill",
     .what = "a part lies in the material of another",
     .why = "its space would be meshed twice, or with either material",
     .remedy = "by hand: cut it out of the other, or leave it away",
     .hints = "A part in a cavity, where there is no material, is apart and no finding.",
     .picture = "  +-----------+\n"
                "  |   +---+   |\n"
                "  |   |xxx|   |   no cavity around x\n"
                "  |   +---+   |\n"
                "  +-----------+\n",
     .waits_for = {}},
    {.kind = duplicate_part,
     .slug = "duplicate-part",
     .family = "assembly",
     .severity = error,
     .measures = Dimension::volume,
     .measure_name = "volume that both fill",
     .what = "the same part twice in one place",
     .why = "its mass counts twice, and its space is meshed twice",
     .remedy = "by hand: convert --only part:NAME keeps the ones you name",
     .hints = "Equal triangles, or two solids that differ by no more than contact would.",
     .picture = "  +=====+\n"
                "  |     |   each line is there twice\n"
                "  +=====+\n",
     .waits_for = {}},
    {.kind = unit_doubt,
     .slug = "unit-doubt",
     .family = "model",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "diagonal",
     .what = "a size that looks like the wrong unit",
     .why = "every load, mass and element size is off by the same factor",
     .remedy = "by hand: say the unit with --unit",
     .hints = "The limits are smallest_model and largest_model in the profile.",
     .picture = "  |--------------|\n"
                "   0.14 mm?  0.14 m!\n",
     .waits_for = {}},
    {.kind = precision_doubt,
     .slug = "precision-doubt",
     .family = "model",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "spacing of coordinates",
     .what = "coordinates too coarse for the size of the model",
     .why = "points snap to a grid: thin triangles turn over, flat faces get steps",
     .remedy = "by hand: export again, nearer to the origin or with more digits",
     .hints = "The spacing is that of the numbers as stored: floats far from the origin, or "
              "decimals cut short.",
     .picture = "  .   .   .   .\n"
                "  .  _*---*   .   points can only lie\n"
                "  .*' .   .   .   on the dots\n",
     .waits_for = {}},
    {.kind = element_quality,
     .slug = "element-quality",
     .family = "model",
     .severity = warning,
     .measures = Dimension::ratio,
     .measure_name = "share of triangles",
     .what = "triangles beyond the limits of shape that were asked for",
     .why = "elements grown on them are as bad",
     .remedy = "refine: better triangles within a stated deviation",
     .hints = "Asked with --element-size; the limits are quality_... in the profile. A "
              "tessellation that a mesher will replace need not meet them.",
     .picture = "   *             *\n"
                "  / \\   good    /`---.__    bad\n"
                " *---*         *--------`-*\n",
     .waits_for = {}},
    {.kind = open_loop,
     .slug = "open-loop",
     .family = "surfaces",
     .severity = error,
     .measures = Dimension::length,
     .measure_name = "distance",
     .what = "edges around a face that do not close",
     .why = "what the face covers cannot be told; it has no facets, or wrong ones",
     .remedy =
         "by hand: lengthen or replace the edge in the source, since a guess may cover the wrong "
         "side",
     .hints = "In space, where the end of one edge is not the start of the next; in the surface's "
              "parameters, where the loop ends elsewhere than it began.",
     .picture = "  *-----------*\n"
                "  |           |\n"
                "  |    face\n"
                "  *---------*      the loop ends short of\n"
                "                   where it began\n",
     .waits_for = {}},
    {.kind = loop_crossing,
     .slug = "loop-crossing",
     .family = "surfaces",
     .severity = error,
     .measures = Dimension::count,
     .measure_name = "crossings",
     .what = "loops of a face that cross themselves or each other",
     .why = "the face covers nothing, or something twice, where they cross",
     .remedy = "by hand: correct the edges in the source, since which part is meant cannot be told",
     .hints =
         "Judged in the surface's parameters, after the loops were divided finer several times.",
     .picture = "  *----.  .----*\n"
                "  |     \\/     |\n"
                "  |     /\\     |\n"
                "  *----'  `----*\n",
     .waits_for = {}},
    {.kind = edge_off_surface,
     .slug = "edge-off-surface",
     .family = "surfaces",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "distance",
     .what = "an edge that does not lie on the surface of its face",
     .why = "facets at the border take up the difference, and stand at an angle there",
     .remedy = "by hand: export again with a smaller tolerance, or trim anew in the source",
     .hints = "The limit is what sewing allows, ten times: the file's uncertainty, or a part of "
              "the size.",
     .picture = "        .----*----.     edge\n"
                "  -----/-----------\\----  surface\n"
                "      *             *\n",
     .waits_for = {}},
    {.kind = vertex_off_edge,
     .slug = "vertex-off-edge",
     .family = "surfaces",
     .severity = warning,
     .measures = Dimension::length,
     .measure_name = "distance",
     .what = "a vertex that is not where its edge ends",
     .why = "edges bend towards it at their ends; small features are distorted",
     .remedy = "by hand: export again with a smaller tolerance",
     .hints = "The limit is that of edge-off-surface.",
     .picture = "  ----------.  curve ends\n"
                "               *  vertex\n",
     .waits_for = {}},
    {.kind = unshared_edge,
     .slug = "unshared-edge",
     .family = "surfaces",
     .severity = note,
     .measures = Dimension::length,
     .measure_name = "largest distance",
     .what = "edges that lie on each other, but that the file does not share between faces",
     .why = "each face is alone in the file: what belongs together is told by distance only",
     .remedy = "stitch: they are sewn within the tolerance when the file is read",
     .hints = "Told of those that were sewn. What stays open is told as crack, gap or opening.",
     .picture = "  face  |  face\n"
                "        |        two edges in one place\n"
                "        |\n",
     .waits_for = {}},
    {.kind = reversed_face,
     .slug = "reversed-face",
     .family = "surfaces",
     .severity = warning,
     .measures = Dimension::area,
     .measure_name = "area",
     .what = "a face that in the file faces against its neighbours, or lies to the right of a loop",
     .why = "inside and outside change places there",
     .remedy = "orient: it was turned when the file was read",
     .hints = "Of two parts that disagree the lesser is told.",
     .picture = "    ^     ^     |     ^\n"
                "  --+-----+-----+-----+--\n"
                "                v\n",
     .waits_for = {}},
    {.kind = singular_surface,
     .slug = "singular-surface",
     .family = "surfaces",
     .severity = warning,
     .measures = Dimension::count,
     .measure_name = "places",
     .what = "a surface without a normal at places inside of its face",
     .why = "normals, offsets and mapped meshes fail there",
     .remedy = "by hand: build the surface anew without the collapsed place",
     .hints = "Poles at the ends of the domain (of spheres, cones, triangular patches) are no such "
              "places.",
     .picture = "  \\  |  /\n"
                "   \\ | /\n"
                "    \\|/   all lines meet\n"
                "   --*--\n",
     .waits_for = {}},
    {.kind = curvature_jump,
     .slug = "curvature-jump",
     .family = "surfaces",
     .severity = note,
     .measures = Dimension::angle,
     .measure_name = "largest turn",
     .what = "a crease inside of one face",
     .why = "meshers take a face for smooth: elements bridge the crease, or bend on it",
     .remedy = "by hand: divide the face at the crease",
     .hints = "Where a spline's knots let its direction change at once.",
     .picture = "        /\\\n"
                "  -----/  \\-----   one surface\n",
     .waits_for = {}},
}};
}  // namespace kind_table
using kind_table::kKinds;

}  // namespace

std::span<const KindInfo> all_kinds() { return kKinds; }

const KindInfo& info(FindingKind kind) { return kKinds.at(static_cast<std::size_t>(kind)); }

std::string_view slug(FindingKind kind) { return info(kind).slug; }

std::string_view slug(Severity severity) {
  constexpr std::array<std::string_view, 3> kSlugs = {"error", "warning", "note"};
  return kSlugs.at(static_cast<std::size_t>(severity));
}

std::optional<Severity> parse_severity(std::string_view text) {
  for (const Severity s : {Severity::error, Severity::warning, Severity::note}) {
    if (slug(s) == text) return s;
  }
  return std::nullopt;
}

std::optional<FindingKind> parse_finding_kind(std::string_view text) {
  for (const KindInfo& k : kKinds) {
    if (k.slug == text) return k.kind;
  }
  return std::nullopt;
}

}  // namespace aguja
