// Times the C++ reference library on a cage, one thread, and writes its points for comparison.
// Input: a text file: points, faces, creases, corners, uv of corners. Output: times in ms as JSON; points as doubles,
// or where there is uv, x y z u v of every face's corners.
#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/stencilTable.h>
#include <opensubdiv/far/stencilTableFactory.h>
#include <opensubdiv/far/topologyDescriptor.h>
#include <opensubdiv/far/topologyRefinerFactory.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <memory>
#include <vector>

using namespace OpenSubdiv;

struct UV {
    double x[2];
    void Clear(void* = nullptr) { x[0] = x[1] = 0; }
    void AddWithWeight(UV const& other, double w) {
        for (int i = 0; i < 2; ++i) x[i] += w * other.x[i];
    }
};

struct Point {
    double x[3];
    void Clear(void* = nullptr) { x[0] = x[1] = x[2] = 0; }
    void AddWithWeight(Point const& other, double w) {
        for (int i = 0; i < 3; ++i) x[i] += w * other.x[i];
    }
};

static double now() {
    using namespace std::chrono;
    return duration<double, std::milli>(steady_clock::now().time_since_epoch()).count();
}

int main(int argc, char** argv) {
    if (argc < 5) return 2;
    std::ifstream in(argv[1]);
    int level = std::atoi(argv[2]), repeats = std::atoi(argv[4]);
    int n, m, k, creases, corners, boundary, triangle, chaikin, uv_rule, uvs;
    in >> n >> m >> k >> creases >> corners >> boundary >> triangle >> chaikin >> uv_rule >> uvs;
    std::vector<Point> points(n);
    for (auto& p : points) in >> p.x[0] >> p.x[1] >> p.x[2];
    std::vector<int> sizes(m), indices(k), crease_pairs(2 * creases), corner_points(corners);
    std::vector<float> crease_weights(creases), corner_weights(corners);
    for (auto& v : sizes) in >> v;
    for (auto& v : indices) in >> v;
    for (auto& v : crease_pairs) in >> v;
    for (auto& v : crease_weights) in >> v;
    for (auto& v : corner_points) in >> v;
    for (auto& v : corner_weights) in >> v;
    std::vector<UV> uv(uvs);
    std::vector<int> uv_indices(uvs ? k : 0);
    for (auto& p : uv) in >> p.x[0] >> p.x[1];
    for (auto& v : uv_indices) in >> v;

    double refine = 1e30, stencil = 1e30, apply = 1e30;
    std::vector<Point> result;
    std::vector<double> with_uv;
    for (int turn = 0; turn < repeats; ++turn) {
        double start = now();
        Far::TopologyDescriptor d;
        d.numVertices = n;
        d.numFaces = m;
        d.numVertsPerFace = sizes.data();
        d.vertIndicesPerFace = indices.data();
        d.numCreases = creases;
        d.creaseVertexIndexPairs = crease_pairs.data();
        d.creaseWeights = crease_weights.data();
        d.numCorners = corners;
        d.cornerVertexIndices = corner_points.data();
        d.cornerWeights = corner_weights.data();
        Far::TopologyDescriptor::FVarChannel channel;
        channel.numValues = uvs;
        channel.valueIndices = uv_indices.data();
        if (uvs) {
            d.numFVarChannels = 1;
            d.fvarChannels = &channel;
        }
        Sdc::Options options;
        options.SetFVarLinearInterpolation(Sdc::Options::FVarLinearInterpolation(uv_rule));
        options.SetCreasingMethod(chaikin ? Sdc::Options::CREASE_CHAIKIN : Sdc::Options::CREASE_UNIFORM);
        options.SetVtxBoundaryInterpolation(boundary == 0   ? Sdc::Options::VTX_BOUNDARY_NONE
                                            : boundary == 1 ? Sdc::Options::VTX_BOUNDARY_EDGE_ONLY
                                                            : Sdc::Options::VTX_BOUNDARY_EDGE_AND_CORNER);
        options.SetTriangleSubdivision(triangle ? Sdc::Options::TRI_SUB_SMOOTH : Sdc::Options::TRI_SUB_CATMARK);
        using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
        std::unique_ptr<Far::TopologyRefiner> refiner(
            Factory::Create(d, Factory::Options(Sdc::SCHEME_CATMARK, options)));
        if (!refiner) return 1;
        refiner->RefineUniform(Far::TopologyRefiner::UniformOptions(level));
        std::vector<Point> all(refiner->GetNumVerticesTotal());
        std::copy(points.begin(), points.end(), all.begin());
        Far::PrimvarRefiner primvar(*refiner);
        Point* source = all.data();
        for (int i = 1; i <= level; ++i) {
            Point* target = source + refiner->GetLevel(i - 1).GetNumVertices();
            primvar.Interpolate(i, source, target);
            source = target;
        }
        refine = std::min(refine, now() - start);
        if (uvs) {
            std::vector<UV> values(refiner->GetNumFVarValuesTotal(0));
            std::copy(uv.begin(), uv.end(), values.begin());
            UV* from = values.data();
            for (int i = 1; i <= level; ++i) {
                UV* to = from + refiner->GetLevel(i - 1).GetNumFVarValues(0);
                primvar.InterpolateFaceVarying(i, from, to, 0);
                from = to;
            }
            auto const& last = refiner->GetLevel(level);
            with_uv.clear();
            for (int f = 0; f < last.GetNumFaces(); ++f) {
                if (last.IsFaceHole(f)) continue;
                auto corners_of = last.GetFaceVertices(f);
                auto uv_of = last.GetFaceFVarValues(f, 0);
                for (int i = 0; i < corners_of.size(); ++i) {
                    with_uv.insert(with_uv.end(), source[corners_of[i]].x, source[corners_of[i]].x + 3);
                    with_uv.insert(with_uv.end(), from[uv_of[i]].x, from[uv_of[i]].x + 2);
                }
            }
        }
        result.assign(source, source + refiner->GetLevel(level).GetNumVertices());

        start = now();
        Far::StencilTableFactory::Options table_options;
        table_options.generateIntermediateLevels = false;
        table_options.generateOffsets = true;
        std::unique_ptr<Far::StencilTable const> table(Far::StencilTableFactory::Create(*refiner, table_options));
        stencil = std::min(stencil, now() - start);

        std::vector<Point> moved(table->GetNumStencils());
        start = now();
        table->UpdateValues(points.data(), moved.data());
        apply = std::min(apply, now() - start);
    }
    std::FILE* out = std::fopen(argv[3], "wb");
    if (uvs)
        std::fwrite(with_uv.data(), sizeof(double), with_uv.size(), out);
    else
        std::fwrite(result.data(), sizeof(Point), result.size(), out);
    std::fclose(out);
    std::printf("{\"refine\": %.3f, \"stencil\": %.3f, \"apply\": %.3f, \"points\": %zu}\n", refine, stencil, apply,
                result.size());
    return 0;
}
