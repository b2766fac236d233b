/* Receiver of the Fulmar demo as an executable model: a peaking stage, decision feedback that adapts,
   and a clock that follows the edges. Made up. Build: cc -shared -fPIC -O2 -o fulmar_rx.so fulmar_rx.c -lm */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define TAPS 4

typedef struct {
    double gain, zero, pole[2];
    double x1, y[2];            /* states of the peaking stage */
    double step, bit_time;
    double tap[TAPS], decided[TAPS], rate, level;
    long taps;
    double phase, time;         /* of the clock, s */
    double last;                /* sample before this one */
    char out[512];
} Model;

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

/* (g + s / z) / ((1 + s / p0)(1 + s / p1)) by two first-order steps of the bilinear kind. */
static double peaking(Model *m, double x)
{
    double k = 2.0 / m->step;
    double b0 = m->gain + k / m->zero, b1 = m->gain - k / m->zero;
    double a0 = 1.0 + k / m->pole[0], a1 = 1.0 - k / m->pole[0];
    double y0 = (b0 * x + b1 * m->x1 - a1 * m->y[0]) / a0;
    m->x1 = x;
    double c0 = 1.0 + k / m->pole[1], c1 = 1.0 - k / m->pole[1];
    double y1 = (y0 + m->y[0] - c1 * m->y[1]) / c0;
    m->y[0] = y0;
    m->y[1] = y1;
    return y1;
}

long AMI_Init(double *impulse, long rows, long aggressors, double step, double bit_time,
              char *in, char **out, void **handle, char **message)
{
    static char fine[] = "peaking and decision feedback";
    Model *m = calloc(1, sizeof *m);
    if (!m) return 0;
    const double pi2 = 6.283185307179586;
    m->gain = pow(10.0, value_of(in, "gain_db", 0.0) / 20.0);
    m->zero = pi2 * value_of(in, "zero", 4e9);
    m->pole[0] = pi2 * value_of(in, "pole1", 4e9);
    m->pole[1] = pi2 * value_of(in, "pole2", 16e9);
    m->rate = value_of(in, "adapt", 0.002);
    m->taps = (long)value_of(in, "taps", 2);
    if (m->taps > TAPS) m->taps = TAPS;
    m->step = step;
    m->bit_time = bit_time;
    m->phase = 0.5 * bit_time;
    for (long c = 0; c <= aggressors; c++) {
        double *h = impulse + c * rows;
        m->x1 = m->y[0] = m->y[1] = 0.0;
        for (long i = 0; i < rows; i++) h[i] = peaking(m, h[i]);
    }
    m->x1 = m->y[0] = m->y[1] = 0.0;
    snprintf(m->out, sizeof m->out, "(fulmar_rx (gain %g))", m->gain);
    if (out) *out = m->out;
    if (message) *message = fine;
    *handle = m;
    return 1;
}

long AMI_GetWave(double *wave, long size, double *clocks, char **out, void *memory)
{
    Model *m = memory;
    long tick = 0;
    for (long i = 0; i < size; i++) {
        double y = peaking(m, wave[i]);
        for (long k = 0; k < m->taps; k++) y -= m->tap[k] * m->decided[k];
        wave[i] = y;
        m->phase -= m->step;
        if ((y >= 0.0) != (m->last >= 0.0)) {
            /* An edge comes half a bit before a sample: the clock goes a little of the way. */
            double late = m->phase + m->step * y / (y - m->last) - 0.5 * m->bit_time;
            m->phase -= 0.02 * late;
        }
        m->last = y;
        if (m->phase <= 0.0) {
            double bit = y >= 0.0 ? 1.0 : -1.0;
            double error = y - bit * m->level;
            /* Signs tell which way: slow, but it needs no size. */
            m->level += m->rate * (error * bit > 0.0 ? 1.0 : -1.0) * 0.05;
            for (long k = 0; k < m->taps; k++)
                m->tap[k] += 0.05 * m->rate * (error * m->decided[k] > 0.0 ? 1.0 : -1.0);
            for (long k = m->taps - 1; k > 0; k--) m->decided[k] = m->decided[k - 1];
            m->decided[0] = bit;
            double at = m->time + m->phase - 0.5 * m->bit_time;
            /* Below 0 is the end of the list. */
            if (at >= 0.0) clocks[tick++] = at;
            m->phase += m->bit_time;
        }
        m->time += m->step;
    }
    clocks[tick] = -1.0;
    snprintf(m->out, sizeof m->out, "(fulmar_rx (gain %g) (tap1 %g) (tap2 %g))", m->gain, m->tap[0],
             m->tap[1]);
    if (out) *out = m->out;
    return 1;
}

long AMI_Close(void *memory)
{
    free(memory);
    return 1;
}
