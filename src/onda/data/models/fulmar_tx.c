/* Transmitter of the Fulmar demo as an executable model: three taps, a bit apart. Made up.
   Build: cc -shared -fPIC -O2 -o fulmar_tx.so fulmar_tx.c */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct {
    double tap[3];
    double *line;       /* samples of the last two bits */
    long length, at, per_bit;
    char out[256];
} Model;

/* Value of a parameter in "(root (name value) ...)", the usual one where it is not there. */
static double value_of(const char *text, const char *name, double usual)
{
    size_t n = strlen(name);
    const char *p = text;
    while (p && (p = strstr(p, name)) != NULL) {
        if (p > text && (p[-1] == '(' || p[-1] == ' ') && p[n] == ' ')
            return strtod(p + n + 1, NULL);
        p += n;
    }
    return usual;
}

long AMI_Init(double *impulse, long rows, long aggressors, double step, double bit_time,
              char *in, char **out, void **handle, char **message)
{
    static char fine[] = "three taps";
    static char bad[] = "a bit must hold a whole number of samples";
    long per_bit = (long)(bit_time / step + 0.5);
    if (message) *message = bad;
    if (per_bit < 1 || bit_time / step - per_bit > 0.01 || per_bit - bit_time / step > 0.01)
        return 0;
    Model *m = calloc(1, sizeof *m);
    if (!m) return 0;
    m->tap[0] = value_of(in, "before", 0.0);
    m->tap[2] = value_of(in, "behind", 0.0);
    m->tap[1] = 1.0 - (m->tap[0] < 0 ? -m->tap[0] : m->tap[0]) - (m->tap[2] < 0 ? -m->tap[2] : m->tap[2]);
    m->per_bit = per_bit;
    m->length = 2 * per_bit;
    m->line = calloc((size_t)m->length, sizeof *m->line);
    if (!m->line) { free(m); return 0; }
    /* Every column, from its end on, so that nothing is read that was written already. */
    for (long c = 0; c <= aggressors; c++) {
        double *h = impulse + c * rows;
        for (long i = rows - 1; i >= 0; i--) {
            double y = m->tap[0] * h[i];
            if (i >= per_bit) y += m->tap[1] * h[i - per_bit];
            if (i >= 2 * per_bit) y += m->tap[2] * h[i - 2 * per_bit];
            h[i] = y;
        }
    }
    snprintf(m->out, sizeof m->out, "(fulmar_tx (main %g))", m->tap[1]);
    if (out) *out = m->out;
    if (message) *message = fine;
    *handle = m;
    return 1;
}

long AMI_GetWave(double *wave, long size, double *clocks, char **out, void *memory)
{
    Model *m = memory;
    (void)clocks;
    for (long i = 0; i < size; i++) {
        long one = (m->at + m->length - m->per_bit) % m->length;
        double x = wave[i];
        wave[i] = m->tap[0] * x + m->tap[1] * m->line[one] + m->tap[2] * m->line[m->at];
        m->line[m->at] = x;
        m->at = (m->at + 1) % m->length;
    }
    if (out) *out = m->out;
    return 1;
}

long AMI_Close(void *memory)
{
    Model *m = memory;
    if (m) { free(m->line); free(m); }
    return 1;
}
