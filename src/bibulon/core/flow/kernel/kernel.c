/* What filling does over and over along the links of a network, and drawing over its triangles, in plain C.
 *
 * A network is told by rows: the links of node i are the entries start[i] to start[i + 1] - 1 of far, the node at the
 * other end, and of g, the conductance.  by_array.py does the same with NumPy, and says what each function means;
 * compiled.py calls these, and checks what it hands over.  Nothing here takes memory or keeps any.
 */
#include <math.h>
#include <stdint.h>

typedef int64_t whole;
typedef uint8_t mark;

whole version(void) { return 6; } /* to be raised with each change of what is called, here and in compiled.py */

/* Each source hands g times its amount to the nodes beside it. */
void spread(whole k, const whole *source, const double *amount, const whole *start, const whole *far,
            const double *g, double *got)
{
    for (whole i = 0; i < k; i++)
        for (whole e = start[source[i]]; e < start[source[i] + 1]; e++)
            got[far[e]] += g[e] * amount[i];
}

/* What flows down to each of some nodes from those beside it that stand higher, and the same weighed by the drop. */
void drops(whole k, const whole *which, const whole *start, const whole *far, const double *g, const double *pressure,
           double *flow, double *weighed)
{
    for (whole i = 0; i < k; i++) {
        flow[i] = weighed[i] = 0;
        for (whole e = start[which[i]]; e < start[which[i] + 1]; e++) {
            double drop = pressure[far[e]] - pressure[which[i]];
            if (drop > 0) {
                flow[i] += g[e] * drop;
                weighed[i] += g[e] * drop * drop;
            }
        }
    }
}

/* The least number among those beside each of some nodes that an open link leads to. */
void least(whole k, const whole *which, const whole *start, const whole *far, const double *g, const double *numbers,
           double *found)
{
    for (whole i = 0; i < k; i++) {
        found[i] = INFINITY;
        for (whole e = start[which[i]]; e < start[which[i] + 1]; e++)
            if (g[e] > 0 && numbers[far[e]] < found[i])
                found[i] = numbers[far[e]];
    }
}

/* Mark what lies within so many links; ring has room for all nodes and begins with the first k, which are marked. */
void widen(whole k, whole hops, const whole *start, const whole *far, const double *g, whole *ring, mark *near)
{
    whole first = 0, last = k;
    for (whole hop = 0; hop < hops; hop++) {
        whole end = last;
        for (whole i = first; i < last; i++)
            for (whole e = start[ring[i]]; e < start[ring[i] + 1]; e++)
                if (g[e] > 0 && !near[far[e]]) {
                    near[far[e]] = 1;
                    ring[end++] = far[e];
                }
        first = last;
        last = end;
    }
}

/* Pour held volumes outward, ring by ring; found has room for all nodes.  Returns how many were filled. */
whole pour(whole n, const whole *start, const whole *far, const double *g, const double *dry, double *held,
           mark *blocked, whole *found)
{
    whole first = 0, last = 0;
    for (whole i = 0; i < n; i++)
        if (!blocked[i] && held[i] > dry[i])
            found[last++] = i;
    for (whole i = 0; i < last; i++)
        blocked[found[i]] = 1;
    while (first < last) {
        whole end = last;
        for (whole i = first; i < last; i++) {
            whole node = found[i];
            double total = 0;
            for (whole e = start[node]; e < start[node + 1]; e++)
                if (!blocked[far[e]])
                    total += g[e];
            if (!(total > 0))
                continue;
            double share = (held[node] - dry[node]) / total;
            for (whole e = start[node]; e < start[node + 1]; e++)
                if (!blocked[far[e]])
                    held[far[e]] += g[e] * share;
        }
        /* What is full only now is blocked only now: a ring hands on all that it has before the next does. */
        for (whole i = first; i < last; i++)
            for (whole e = start[found[i]]; e < start[found[i] + 1]; e++) {
                whole next = far[e];
                if (!blocked[next] && g[e] > 0 && held[next] > dry[next]) {
                    blocked[next] = 1;
                    found[end++] = next;
                }
            }
        first = last;
        last = end;
    }
    return last;
}

/* The upper triangle of a system's matrix, column by column, the diagonal last in each.
 *
 * k nodes stand in the order of their unknowns, mine; number tells the unknown of every node, held the place among
 * the nodes of given pressure, of which there are fixed, -1 for none.  block is what is added on the last m unknowns.
 * among has room for size numbers, and is -1 all over, as it is again at the end.  Returns how many entries there are, or
 * -1 when the nodes are in another order.
 */
whole assemble(whole k, const whole *nodes, const whole *mine, const whole *number, const whole *held, whole fixed,
               const whole *start, const whole *far, const double *g, whole size, whole m, const double *block,
               whole *among, double *couple, whole *begins, whole *rows, double *values)
{
    whole at = 0, node = 0, ring = size - m;
    for (whole column = 0; column < size; column++) {
        whole begin = at;
        double diagonal = 0;
        begins[column] = at;
        if (column >= ring)
            for (whole row = ring; row < column; row++, at++) {
                rows[at] = row;
                values[at] = block[(column - ring) * m + row - ring];
                among[row] = at;
            }
        for (; node < k && mine[node] == column; node++)
            for (whole e = start[nodes[node]]; e < start[nodes[node] + 1]; e++) {
                whole to = number[far[e]];
                if (to == column)
                    continue;
                diagonal += g[e];
                if (held[far[e]] >= 0)
                    couple[column * fixed + held[far[e]]] -= g[e];
                if (to < 0 || to > column)
                    continue;
                if (among[to] < 0) {
                    among[to] = at;
                    rows[at] = to;
                    values[at++] = 0;
                }
                values[among[to]] -= g[e];
            }
        for (whole i = begin; i < at; i++)
            among[rows[i]] = -1;
        rows[at] = column;
        values[at++] = diagonal + (column >= ring ? block[(column - ring) * (m + 1)] : 0);
    }
    begins[size] = at;
    return node == k ? at : -1;
}

/* Number the regions that links join the marked nodes into, by their lowest node; -1 stays elsewhere.
 *
 * label begins as -1 all over, queue has room for all nodes.  Returns how many regions there are.
 */
whole regions(whole n, const whole *start, const whole *far, const mark *inside, whole *queue, whole *label)
{
    whole count = 0;
    for (whole node = 0; node < n; node++) {
        if (!inside[node] || label[node] >= 0)
            continue;
        whole first = 0, last = 1;
        queue[0] = node;
        label[node] = count;
        for (; first < last; first++)
            for (whole e = start[queue[first]]; e < start[queue[first] + 1]; e++)
                if (inside[far[e]] && label[far[e]] < 0) {
                    label[far[e]] = count;
                    queue[last++] = far[e];
                }
        count++;
    }
    return count;
}

/* Solve with a lower triangle of n columns, the diagonal first in each, or with its transpose, in place of the load. */
void triangle(whole n, const whole *begins, const whole *rows, const double *values, whole up, double *load)
{
    if (up)
        for (whole column = n - 1; column >= 0; column--) {
            whole first = begins[column];
            for (whole e = first + 1; e < begins[column + 1]; e++)
                load[column] -= values[e] * load[rows[e]];
            load[column] /= values[first];
        }
    else
        for (whole column = 0; column < n; column++) {
            whole first = begins[column];
            load[column] /= values[first];
            for (whole e = first + 1; e < begins[column + 1]; e++)
                load[rows[e]] -= values[e] * load[column];
        }
}

/* Carry values along links, upwind and implicit, in equal substeps: flux is what passes each from a to b in all of them.
 *
 * n nodes, each with width values in told, which are set; held is a node's resin.  Nodes that are entering, or that take in
 * next to nothing, keep their values.  The order of the nodes should fall along the flow: then one sweep is exact, else
 * sweeps go on until nothing moves.  Within, nodes are numbered in that order.  nodes is room for n * (3 + 2 * width)
 * numbers, parts for m, rank for n, begins for n + 2 and ups for m.  Returns 0, or 1 when it did not end.
 */
whole carry(whole n, whole width, whole m, const whole *a, const whole *b, const double *flux, const whole *order,
            const mark *entering, whole substeps, const double *held, double *told, double *nodes, double *parts,
            whole *rank, whole *begins, whole *ups)
{
    double *into = nodes, *out = nodes + n, *holds = nodes + 2 * n, *now = nodes + 3 * n, *before = now + width * n;
    double most = 0;
    for (whole i = 0; i < n; i++) {
        into[i] = out[i] = 0, rank[order[i]] = i, holds[i] = held[order[i]];
        for (whole v = 0; v < width; v++)
            now[i * width + v] = told[order[i] * width + v];
    }
    for (whole i = 0; i < n + 2; i++)
        begins[i] = 0;
    for (whole e = 0; e < m; e++) {
        if (flux[e] == 0)
            continue;
        double part = (flux[e] > 0 ? flux[e] : -flux[e]) / substeps;
        whole to = rank[flux[e] > 0 ? b[e] : a[e]];
        into[to] += part;
        out[rank[flux[e] > 0 ? a[e] : b[e]]] += part;
        begins[to + 2]++;
    }
    for (whole i = 0; i < n; i++) {
        begins[i + 2] += begins[i + 1];
        most = into[i] > most ? into[i] : most;
    }
    for (whole e = 0; e < m; e++) {
        if (flux[e] == 0)
            continue;
        whole at = begins[rank[flux[e] > 0 ? b[e] : a[e]] + 1]++;
        ups[at] = rank[flux[e] > 0 ? a[e] : b[e]];
        parts[at] = (flux[e] > 0 ? flux[e] : -flux[e]) / substeps;
    }
    for (whole substep = 0; substep < substeps; substep++) {
        for (whole i = 0; i < n * width; i++)
            before[i] = now[i];
        for (whole sweep = 0, back = 1; back; sweep++) {
            if (sweep == 1000)
                return 1;
            back = 0;
            for (whole i = 0; i < n; i++) {
                if (into[i] <= 1e-14 * most || entering[order[i]])
                    continue;
                for (whole v = 0; v < width; v++) {
                    double sum = holds[i] * before[i * width + v], was = now[i * width + v];
                    for (whole l = begins[i]; l < begins[i + 1]; l++)
                        sum += parts[l] * now[ups[l] * width + v];
                    now[i * width + v] = sum / (holds[i] + into[i]);
                    /* What a node further on hands back is known with the next sweep only. */
                    double moved = now[i * width + v] - was, size = now[i * width + v];
                    if (sweep && (moved > 0 ? moved : -moved) > 1e-13 * (size > 0 ? size : -size) + 1e-300)
                        back = 1;
                }
                for (whole l = begins[i]; !sweep && l < begins[i + 1]; l++)
                    if (ups[l] >= i)
                        back = 1;
            }
        }
        for (whole i = 0; i < n; i++) {
            holds[i] += into[i] - out[i];
            if (holds[i] < 0)
                holds[i] = 0;
        }
    }
    for (whole i = 0; i < n; i++)
        for (whole v = 0; v < width; v++)
            told[order[i] * width + v] = now[i * width + v];
    return 0;
}

/* The triangle of each point of a raster, the last that holds it, as its corners and their weights.
 *
 * corners are x and y of three corners each; grid is x and y of the first point, the step, and by how much outside
 * counts as inside, as a share of a triangle.  Points in no triangle stay as they are.
 */
void raster(whole triangles, const double *corners, const whole *numbers, const double *grid, whole columns,
            whole rows, whole *vertices, double *weights)
{
    double left = grid[0], low = grid[1], step = grid[2], slack = grid[3];
    for (whole t = 0; t < triangles; t++) {
        const double *c = corners + 6 * t;
        double ax = c[0], ay = c[1], bx = c[2], by = c[3], cx = c[4], cy = c[5];
        double x0 = ax < bx ? ax : bx, x1 = ax > bx ? ax : bx, y0 = ay < by ? ay : by, y1 = ay > by ? ay : by;
        x0 = cx < x0 ? cx : x0, x1 = cx > x1 ? cx : x1, y0 = cy < y0 ? cy : y0, y1 = cy > y1 ? cy : y1;
        double twice = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
        whole first = (whole)((x0 - left) / step), last = (whole)((x1 - left) / step) + 1;
        whole bottom = (whole)((y0 - low) / step), top = (whole)((y1 - low) / step) + 1;
        first = first < 0 ? 0 : first, bottom = bottom < 0 ? 0 : bottom;
        for (whole row = bottom; row <= top && row < rows; row++)
            for (whole column = first; column <= last && column < columns; column++) {
                double x = left + (double)column * step - ax, y = low + (double)row * step - ay;
                double v = (x * (cy - ay) - y * (cx - ax)) / twice, w = ((bx - ax) * y - (by - ay) * x) / twice;
                if (!(v >= -slack && w >= -slack && v + w <= 1 + slack))
                    continue;
                whole at = 3 * (row * columns + column);
                for (int k = 0; k < 3; k++)
                    vertices[at + k] = numbers[3 * t + k];
                weights[at] = 1 - v - w, weights[at + 1] = v, weights[at + 2] = w;
            }
    }
}
