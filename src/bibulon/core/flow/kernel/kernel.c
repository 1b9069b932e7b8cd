/* What filling does over and over along the links of a network, in plain C.
 *
 * A network is told by rows: the links of node i are the entries start[i] to start[i + 1] - 1 of far, the node at the
 * other end, and of g, the conductance.  by_array.py does the same with NumPy, and says what each function means;
 * compiled.py calls these, and checks what it hands over.  Nothing here takes memory or keeps any.
 */
#include <stdint.h>

typedef int64_t whole;
typedef uint8_t mark;

whole version(void) { return 1; } /* to be raised with each change of what is called, here and in compiled.py */

/* Each source hands g times its amount to the nodes beside it. */
void spread(whole k, const whole *source, const double *amount, const whole *start, const whole *far,
            const double *g, double *got)
{
    for (whole i = 0; i < k; i++)
        for (whole e = start[source[i]]; e < start[source[i] + 1]; e++)
            got[far[e]] += g[e] * amount[i];
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
 * among has room for size numbers, and is -1 all over, as it is again at the end.  Returns how many entries there are.
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
    return at;
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
