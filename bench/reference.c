/* The bench's graphs written by hand in C: the measure of the engine's speed.
 *
 * The same methods as the kernels in src/dunefall/catalogue, with the same approximations of sine, power and tangent,
 * written as one would for one graph: what is constant is worked out once, only outputs that somebody uses are
 * computed, blocks of 64 samples lie in local arrays, and a feedback loop keeps everything in registers. */
#include <math.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#define N 64
#define COPIES 16
#define RATE 48000.0
#define inline inline __attribute__((always_inline))

/* -- functions ---------------------------------------------------------------------------------------------------- */

static inline double arch(double y)
{
    double y2 = y * y;
    double a = y2 * (y * -38.512489284220614 + 67.07760056484479) + (y * -64.83584370808289 + 25.132741227776712);
    double b = y2 * 0.6075576732586402 + (y * -3.6172524233704304 + 14.17780925357318);
    return y2 * y2 * b + a;
}

static inline double sine(double phase)
{
    double f = phase - rint(phase), y = f * f;
    return f * (0.25 - y) * arch(y);
}

static inline double power2(double x)
{
    double whole = rint(x), f = x - whole, f2 = f * f, f4 = f2 * f2;
    double a = f2 * (f * 0.055504108668685624 + 0.24022650695649653) + (f * 0.693147180559871 + 1.0);
    double b = f2 * (f * 1.5252984839814557e-05 + 0.00015403434948103528)
             + (f * 0.0013333557617602426 + 0.009618129192067193);
    double c = f * 1.0150336495148618e-07 + 1.3259405603573696e-06;
    double power = f4 * (f4 * c + b) + a;
    int64_t bits;
    memcpy(&bits, &power, sizeof bits);
    bits += (int64_t)whole << 52;
    memcpy(&power, &bits, sizeof power);
    return power;
}

static inline double hertz(double note) { return 440.0 * power2((note - 69.0) / 12.0); }
static inline double clamp(double x, double low, double high) { return fmin(fmax(x, low), high); }

static inline double saturate(double x, double knee)
{
    double size = fabs(x);
    return size <= knee ? x : copysign(knee * (2.0 - knee / size), x);
}

static inline void philox(uint64_t key, uint64_t counter, uint32_t out[4])
{
    uint64_t c0 = counter & 0xFFFFFFFFu, c1 = counter >> 32, c2 = 0, c3 = 0;
    uint64_t k0 = key & 0xFFFFFFFFu, k1 = key >> 32;
    for (int r = 0; r < 10; r++) {
        uint64_t p0 = 0xD2511F53ull * c0, p1 = 0xCD9E8D57ull * c2;
        uint64_t n0 = (p1 >> 32) ^ c1 ^ k0, n2 = (p0 >> 32) ^ c3 ^ k1;
        c1 = p1 & 0xFFFFFFFFu;
        c3 = p0 & 0xFFFFFFFFu;
        c0 = n0;
        c2 = n2;
        k0 = (k0 + 0x9E3779B9u) & 0xFFFFFFFFu;
        k1 = (k1 + 0xBB67AE85u) & 0xFFFFFFFFu;
    }
    out[0] = (uint32_t)c0, out[1] = (uint32_t)c1, out[2] = (uint32_t)c2, out[3] = (uint32_t)c3;
}

static inline double uniform(uint64_t key, double counter)
{
    uint32_t four[4];
    philox(key, (uint64_t)counter, four);
    return four[0] / 4294967296.0;
}

/* -- modules ------------------------------------------------------------------------------------------------------ */

typedef struct { uint64_t key, count; double poles[8], steps[8], gains[8]; } Noise;

static inline void white(Noise *s, double *out)
{
    const double peak = 0.25 * 1.7320508075688772;
    for (int g = 0; g < N / 4; g++) {
        uint32_t four[4];
        philox(s->key, s->count + 4 * g, four);
        for (int k = 0; k < 4; k++) out[4 * g + k] = four[k] * (2.0 / 4294967296.0 * peak) - peak;
    }
    s->count += N;
}

static inline void pink(Noise *s, double *out)
{
    white(s, out);
    for (int i = 0; i < N; i++) {
        double sum = 0.0;
        for (int b = 0; b < 8; b++) {
            s->poles[b] = (1.0 - s->steps[b]) * s->poles[b] + s->steps[b] * out[i];
            sum += s->gains[b] * s->poles[b];
        }
        out[i] = sum;
    }
}

static void noise_start(Noise *s, uint64_t key)
{
    double sum = 0.0;
    memset(s, 0, sizeof *s);
    s->key = key;
    for (int b = 0; b < 8; b++) {
        double corner = 1.5 * pow(4.0, b);
        s->steps[b] = 1.0 - exp(-2.0 * M_PI * corner / RATE);
        s->gains[b] = 1.0 / sqrt(corner);
    }
    for (int a = 0; a < 8; a++)
        for (int b = 0; b < 8; b++)
            sum += s->steps[a] * s->steps[b] / (1.0 - (1.0 - s->steps[a]) * (1.0 - s->steps[b])) * s->gains[a] * s->gains[b];
    for (int b = 0; b < 8; b++) s->gains[b] /= sqrt(sum);
}

typedef struct { uint64_t key; double place, draws, from, to; } Smooth;

static void smooth_start(Smooth *s, uint64_t key)
{
    *s = (Smooth){key, 0.0, 2.0, 2.0 * uniform(key, 0.0) - 1.0, 2.0 * uniform(key, 1.0) - 1.0};
}

static inline void smooth(Smooth *s, double rate_hz, double *out)
{
    double place = s->place;
    for (int i = 0; i < N; i++) {
        double curve = place * place * place * (10.0 + place * (6.0 * place - 15.0));
        out[i] = s->from + (s->to - s->from) * curve;
        place += rate_hz / RATE;
        if (place >= 1.0) {
            place -= 1.0;
            s->from = s->to;
            s->to = 2.0 * uniform(s->key, s->draws) - 1.0;
            s->draws += 1.0;
        }
    }
    s->place = place;
}

/* Steps lie on the engine's grid (dsp/maths.py), so that both stay in step. */
static inline void ramp(double *phase, double step, double *out)
{
    double at = *phase;
    step = rint(step * 0x1p46) * 0x1p-46;
    for (int i = 0; i < N; i++) {
        out[i] = at;
        at += step;
        if (at >= 1.0) at -= 1.0;
    }
    *phase = at;
}

static inline void lfo(double *phase, double rate_hz, double *out)
{
    ramp(phase, rate_hz / RATE, out);
    for (int i = 0; i < N; i++) out[i] = sine(out[i]);
}

static inline double corner(double d)
{
    double o = fmax(2.0 - d, 0.0), i = fmax(1.0 - d, 0.0);
    return (o * o * o * o * o - 4.0 * (i * i * i * i * i)) / 120.0;
}

static inline double triangle(double phase, double step)
{
    double at = phase + 0.25 - floor(phase + 0.25), per = 1.0 / step;
    double low = fmin(at, 1.0 - at) * per, high = fabs(at - 0.5) * per;
    return 1.0 - fabs(4.0 * at - 2.0) + 8.0 * step * (corner(low) - corner(high));
}

typedef struct { double s1, s2; } Filter;
enum { LOW, BAND, HIGH };

static inline double damping_of(double resonance) { return 1.4142135623730951 - 1.3942135623730951 * resonance; }

typedef struct { double both, up, down; } Parts;
typedef struct { double take, cross, sink; } Factors;

static inline Parts parts(double hz)
{
    double f = 0.25 * fmin(hz * (2.0 / RATE), 0.97), e = 0.25 - f, u = f * f, v = e * e;
    double up = f * (0.25 - u) * arch(u), down = e * (0.25 - v) * arch(v);
    return (Parts){up * down, up * up, down * down};
}

static inline Factors factors(Parts p, double damping)
{
    double twice = 2.0 / (1.0 + damping * p.both);
    return (Factors){p.down * twice, p.both * twice, p.up * twice};
}

static inline double filter_step(Filter *s, double x, double damping, Factors f, int kind)
{
    double s1 = s->s1, s2 = s->s2, away = x - s2;
    s->s1 = f.cross * away + (f.take * s1 - s1);
    s->s2 = f.sink * away + (f.cross * s1 + s2);
    double band = 0.5 * damping * (s1 + s->s1), low = 0.5 * (s2 + s->s2);
    return kind == LOW ? low : kind == BAND ? band : x - band - low;
}

static inline void filter(Filter *state, const double *x, const double *hz, double resonance, int kind, double *out)
{
    double damping = damping_of(resonance), take[N], cross[N], sink[N];
    Filter s = *state;
    for (int i = 0; i < N; i++) {
        Factors f = factors(parts(hz[i]), damping);
        take[i] = f.take, cross[i] = f.cross, sink[i] = f.sink;
    }
    for (int i = 0; i < N; i++) out[i] = filter_step(&s, x[i], damping, (Factors){take[i], cross[i], sink[i]}, kind);
    *state = s;
}

static inline void octaves(double base_hz, double amount, const double *by, double *hz)
{
    double base = log2(base_hz), low = log2(10.0), high = log2(20000.0);
    for (int i = 0; i < N; i++) hz[i] = power2(clamp(base + by[i] * amount, low, high));
}

static inline void amplify(double *x, const double *gain)
{
    for (int i = 0; i < N; i++) x[i] *= gain[i];
}

static inline void leave(const double *x, double level_db, double pan, double *out)
{
    double gain = pow(10.0, level_db / 20.0), angle = 0.25 * M_PI * (pan + 1.0);
    double left = gain * cos(angle), right = gain * sin(angle);
    for (int i = 0; i < N; i++) {
        out[2 * i] += x[i] * left;
        out[2 * i + 1] += x[i] * right;
    }
}

typedef struct { double *memory, damped; int size, write, back; double f; } Delay;

static void delay_start(Delay *s, double seconds)
{
    double samples = seconds * RATE;
    s->size = (int)ceil(5.001 * RATE);
    s->memory = calloc(s->size, sizeof(double));
    s->back = (int)samples;
    s->f = samples - s->back;
    s->write = 0;
    s->damped = 0.0;
}

static inline double delay_read(const Delay *s, int write)
{
    double f = s->f, echo = 0.0;
    double w[4] = {0.5 * (-f + 2 * f * f - f * f * f), 1.0 + f * f * (1.5 * f - 2.5),
                   0.5 * (f + 4 * f * f - 3 * f * f * f), 0.5 * f * f * (f - 1.0)};
    int at = write - s->back + 1;
    if (at >= 3 && at < s->size)
        return w[0] * s->memory[at] + w[1] * s->memory[at - 1] + w[2] * s->memory[at - 2] + w[3] * s->memory[at - 3];
    for (int k = 0; k < 4; k++) echo += w[k] * s->memory[(at - k + s->size) % s->size];
    return echo;
}

/* what a one-pole keeps of its value in a sample */
static inline double kept(double cutoff_hz) { return exp(-6.283185307179586 * cutoff_hz / RATE); }

static inline double delay_step(Delay *s, double x, double feedback, double damping, double mix)
{
    double echo = delay_read(s, s->write);
    s->damped = damping * s->damped + (1.0 - damping) * echo;
    s->memory[s->write] = x + saturate(feedback * s->damped, 1.0);
    if (++s->write == s->size) s->write = 0;
    return x * (1.0 - mix) + echo * mix;
}

static inline void delay(Delay *s, double *x, double feedback, double damping, double mix)
{
    double echo[N], damped[N];
    int at = s->write - s->back;
    if (at < 0) at += s->size;
    if (at < 2 || at + N >= s->size || s->write + N >= s->size) {
        for (int i = 0; i < N; i++) x[i] = delay_step(s, x[i], feedback, damping, mix);
        return;
    }
    const double *read = s->memory + at;
    double *write = s->memory + s->write, f = s->f, d = s->damped;
    double w0 = 0.5 * (-f + 2 * f * f - f * f * f), w1 = 1.0 + f * f * (1.5 * f - 2.5);
    double w2 = 0.5 * (f + 4 * f * f - 3 * f * f * f), w3 = 0.5 * f * f * (f - 1.0);
    for (int i = 0; i < N; i++) echo[i] = w0 * read[i + 1] + w1 * read[i] + w2 * read[i - 1] + w3 * read[i - 2];
    for (int i = 0; i < N; i++) damped[i] = d = damping * d + (1.0 - damping) * echo[i];
    for (int i = 0; i < N; i++) write[i] = x[i] + saturate(feedback * damped[i], 1.0);
    for (int i = 0; i < N; i++) x[i] = x[i] * (1.0 - mix) + echo[i] * mix;
    s->damped = d;
    s->write += N;
}

/* -- (a) noise, two filters with moving cutoffs, amplifier ---------------------------------------------------------- */

static struct { Noise noise; double phase; Smooth drift; Filter low, high; } wind[COPIES];

void start_a(const uint64_t *keys)
{
    memset(wind, 0, sizeof wind);
    for (int c = 0; c < COPIES; c++) {
        noise_start(&wind[c].noise, keys[2 * c]);
        smooth_start(&wind[c].drift, keys[2 * c + 1]);
    }
}

void run_a(double *out, int quantums)
{
    memset(out, 0, sizeof(double) * 2 * N * quantums);
    for (int q = 0; q < quantums; q++, out += 2 * N)
        for (int c = 0; c < COPIES; c++) {
            double x[N], sway[N], drift[N], hz[N];
            white(&wind[c].noise, x);
            lfo(&wind[c].phase, 0.3, sway);
            smooth(&wind[c].drift, 0.7, drift);
            octaves(950.0, 2.0, sway, hz);
            filter(&wind[c].low, x, hz, 0.3, LOW, x);
            octaves(120.0, 1.5, drift, hz);
            filter(&wind[c].high, x, hz, 0.1, HIGH, x);
            for (int i = 0; i < N; i++) x[i] *= 0.8;
            leave(x, -24.0, 0.0, out);
        }
}

/* -- (b) FM pair with feedback, folder, delay ----------------------------------------------------------------------- */

/* An all-pass half-band filter: two rows of three, each with its last input and output. */
typedef struct { double row[2][3][2]; } Half;

static struct { double phase[2], last, before, driven; Half up[2], down[2], dry[2]; Delay delay; } bell[COPIES];

void start_b(void)
{
    for (int c = 0; c < COPIES; c++) {
        free(bell[c].delay.memory);
        memset(&bell[c], 0, sizeof bell[c]);
        delay_start(&bell[c].delay, 0.3);
    }
}

static inline double area(double x)
{
    double at = 0.25 * x + 0.25, u = 4.0 * (at - floor(at)) - 2.0;
    return u * (1.0 - 0.5 * fabs(u));
}

static inline double fold(double x)
{
    double at = 0.25 * x + 0.25;
    return 1.0 - fabs(4.0 * (at - floor(at)) - 2.0);
}

static const double FACTORS[2][3] = {
    {0.07910923376287687, 0.4945506093007682, 0.831631986474252},
    {0.27263975429934273, 0.6856384858686934, 0.9463566661816738},
};

static inline double passed(Half *half, int which, double x)
{
    for (int k = 0; k < 3; k++) {
        double *kept = half->row[which][k], y = FACTORS[which][k] * (x - kept[1]) + kept[0];
        kept[0] = x, kept[1] = y;
        x = y;
    }
    return x;
}

static inline double halved(Half *half, double early, double late)
{
    return 0.5 * (passed(half, 0, late) + passed(half, 1, early));
}

static inline double quartered(Half *halves, const double *four)
{
    double early = halved(&halves[1], four[0], four[1]);
    return halved(&halves[0], early, halved(&halves[1], four[2], four[3]));
}

static inline double folded(double a, double b)
{
    double step = b - a;
    int small = fabs(step) < 1e-5;
    return small ? fold(0.5 * (a + b)) : (area(b) - area(a)) / (small ? 1.0 : step);
}

/* Four times the rate, by half-bands up and down, for the folded sound and for the plain one. */
static inline void folder(double *last, Half *up, Half *down, Half *dry, double *x, double drive, double mix)
{
    for (int i = 0; i < N; i++) {
        double two[2] = {passed(&up[0], 0, x[i]), passed(&up[0], 1, x[i])}, four[4], wet[4];
        for (int k = 0; k < 2; k++)
            four[2 * k] = passed(&up[1], 0, two[k]), four[2 * k + 1] = passed(&up[1], 1, two[k]);
        double plain = quartered(dry, four);
        for (int k = 0; k < 4; k++) {
            wet[k] = folded(*last, four[k] * drive);
            *last = four[k] * drive;
        }
        x[i] = plain + (quartered(down, wet) - plain) * mix;
    }
}

void run_b(double *out, int quantums)
{
    const double dull = kept(12300.0);
    memset(out, 0, sizeof(double) * 2 * N * quantums);
    for (int q = 0; q < quantums; q++, out += 2 * N)
        for (int c = 0; c < COPIES; c++) {
            double m[N], x[N], last = bell[c].last, before = bell[c].before, hz = hertz(48.0 + c);
            ramp(&bell[c].phase[0], hz * 1.41 / RATE, m);
            for (int i = 0; i < N; i++) {
                double wave = sine(m[i] + 0.8 * 0.5 / (2.0 * M_PI) * (last + before));
                before = last;
                last = wave;
                m[i] = wave;
            }
            bell[c].last = last, bell[c].before = before;
            ramp(&bell[c].phase[1], hz / RATE, x);
            for (int i = 0; i < N; i++) x[i] = sine(x[i] + 3.0 / (2.0 * M_PI) * m[i]) * 0.5;
            folder(&bell[c].driven, bell[c].up, bell[c].down, bell[c].dry, x, 3.0, 1.0);
            delay(&bell[c].delay, x, 0.5, dull, 0.35);
            leave(x, -24.0, 0.0, out);
        }
}

/* -- (c) a control loop, sample by sample --------------------------------------------------------------------------- */

static struct { double held, begun, phase, level, slewed; Filter low; } ear[COPIES];
static int scale_down[12], scale_up[12];

void start_c(void)
{
    static const int notes[7] = {0, 2, 4, 5, 7, 9, 11};
    memset(ear, 0, sizeof ear);
    for (int k = 0; k < 12; k++) {
        scale_down[k] = scale_up[k] = 12;
        for (int j = 0; j < 7; j++) {
            int down = (k - notes[j] + 12) % 12, up = (notes[j] - k - 1 + 12) % 12 + 1;
            if (down < scale_down[k]) scale_down[k] = down;
            if (up < scale_up[k]) scale_up[k] = up;
        }
    }
}

void run_c(double *out, int quantums)
{
    const double settled = log2(100.0), damping = damping_of(0.1);
    const double rise = 1.0 - power2(-settled / (0.002 * RATE)), fall = 1.0 - power2(-settled / (0.05 * RATE));
    const double slew_step = 1.0 - power2(-settled / (0.03 * RATE));
    const Factors calm = factors(parts(40.0), damping);
    memset(out, 0, sizeof(double) * 2 * N * quantums);
    for (int q = 0; q < quantums; q++, out += 2 * N)
        for (int c = 0; c < COPIES; c++) {
            double held = ear[c].held, begun = ear[c].begun, phase = ear[c].phase, level = ear[c].level;
            double slewed = ear[c].slewed, x[N];
            Filter low = ear[c].low;
            for (int i = 0; i < N; i++) {
                double pitch = slewed * 40.0 + (40.0 + c), whole = floor(pitch);
                int degree = (int)whole % 12;
                double down = whole - scale_down[degree], up = whole + scale_up[degree];
                double note = pitch - down <= up - pitch ? down : up;
                if (note != held && (fabs(pitch - held) - fabs(pitch - note) > 0.1 || begun == 0.0)) held = note, begun = 1.0;
                x[i] = sine(phase) * 0.5;
                phase += fmin(hertz(clamp(48.0 + held - 48.0, -24.0, 136.0)) / RATE, 0.5);
                if (phase >= 1.0) phase -= 1.0;
                double gap = fabs(x[i]) - level;
                level += gap * (gap > 0.0 ? rise : fall);
                double smooth = filter_step(&low, fmin(level, 1.0), damping, calm, LOW);
                if (q == 0 && i == 0 && begun == 1.0 && slewed == 0.0) slewed = smooth;
                slewed += (smooth - slewed) * slew_step;
            }
            ear[c].held = held, ear[c].begun = begun, ear[c].phase = phase, ear[c].level = level;
            ear[c].slewed = slewed, ear[c].low = low;
            leave(x, -24.0, 0.0, out);
        }
}

/* -- (d) the demo --------------------------------------------------------------------------------------------------- */

static struct {
    double clock_phase, clock_step, clock_begun, tide, blades, sway, rotor, stator, hum, droplet;
    Smooth gusts, load, drift;
    Noise noise;
    Filter housing, band, drip;
    uint64_t skip_key, hold_key;
    double skip_last, skip_open, skip_draws, hold_last, held, hold_draws, slewed, slew_begun;
    double strike, rising, strike_last, echo_last, dull;
    Delay echo;
} demo;

void start_d(const uint64_t *keys)
{
    free(demo.echo.memory);
    memset(&demo, 0, sizeof demo);
    smooth_start(&demo.gusts, keys[0]);
    smooth_start(&demo.load, keys[1]);
    noise_start(&demo.noise, keys[2]);
    smooth_start(&demo.drift, keys[3]);
    demo.skip_key = keys[4];
    demo.hold_key = keys[5];
    delay_start(&demo.echo, 0.66);
    demo.dull = kept(8020.0);
}

static inline void clock_gate(double *gate)
{
    const double even = RATE * (0.5 * 60.0 / 92.0), spans[2] = {even * (1.0 + 0.12), even * (1.0 - 0.12)};
    double count = demo.clock_phase;
    int step = (int)demo.clock_step;
    for (int i = 0; i < N; i++) {
        if (demo.clock_begun > 0.5) count += 1.0;
        if (count >= spans[step] - 1e-5) {
            count -= spans[step];
            step = 1 - step;
        }
        demo.clock_begun = 1.0;
        gate[i] = count < 0.5 * spans[step] ? 1.0 : 0.0;
    }
    demo.clock_phase = count, demo.clock_step = step;
}

static inline void turbine(double *out)
{
    double load[N], blades[N], x[N], phase[N], step[N], hz[N];
    const double rotor = hertz(33.0) / RATE;
    smooth(&demo.load, 0.11, load);
    ramp(&demo.rotor, rotor, phase);
    for (int i = 0; i < N; i++) x[i] = 0.6 * 0.4 * triangle(phase[i], rotor);
    for (int i = 0; i < N; i++) step[i] = hertz(33.0 + 0.01 * clamp(9.0 + 7.0 * load[i], -100.0, 100.0)) / RATE;
    double at = demo.stator;
    for (int i = 0; i < N; i++) {
        phase[i] = at;
        at += step[i];
        if (at >= 1.0) at -= 1.0;
    }
    demo.stator = at;
    for (int i = 0; i < N; i++) x[i] += 0.6 * 0.4 * triangle(phase[i], step[i]);
    ramp(&demo.hum, hertz(45.0 - 0.04) / RATE, phase);
    for (int i = 0; i < N; i++) x[i] += 0.5 * 0.22 * sine(phase[i]);
    octaves(210.0, 0.8, load, hz);
    filter(&demo.housing, x, hz, 0.32, LOW, x);
    lfo(&demo.blades, 1.7, blades);
    for (int i = 0; i < N; i++) x[i] *= clamp(0.8 - 0.25 * (0.5 + 0.5 * blades[i]), 0.0, 4.0);
    leave(x, -9.0, 0.0, out);
}

static inline double slow_ends(double x)
{
    double size = fmin(fabs(x), 1.0);
    return copysign(size * size * (3.0 - 2.0 * size), x);
}

static inline void fog(const double *tide, const double *gusts, double *out)
{
    double x[N], drift[N], sway[N], hz[N];
    const double gain = pow(10.0, -7.0 / 20.0), low = log2(10.0), high = log2(20000.0), base = log2(420.0);
    pink(&demo.noise, x);
    smooth(&demo.drift, 0.07, drift);
    for (int i = 0; i < N; i++) hz[i] = power2(clamp(base + 1.2 * drift[i] + 1.1 * gusts[i], low, high));
    filter(&demo.band, x, hz, 0.22, LOW, x);
    for (int i = 0; i < N; i++) x[i] *= clamp(0.75 + 0.35 * slow_ends(drift[i]) + 0.2 * tide[i], 0.0, 4.0);
    ramp(&demo.sway, 0.045 / RATE, sway);
    for (int i = 0; i < N; i++) {
        double at = sway[i] + 0.25 - floor(sway[i] + 0.25);
        double angle = 0.125 * (sine(40.5 / 360.0 * (1.0 - fabs(4.0 * at - 2.0))) + 1.0);
        out[2 * i] += x[i] * gain * sine(angle + 0.25);
        out[2 * i + 1] += x[i] * gain * sine(angle);
    }
}

static inline void drip(const double *gate, const double *gusts, double *out)
{
    const double settled = log2(100.0), fall = power2(-log2(1000.0) / (0.42 * RATE));
    const double rise = 1.0 - power2(-log2(1.3 / 0.3) / (0.003 * RATE));
    const double up = 1.0 - power2(-settled / (0.03 * RATE)), down = 1.0 - power2(-settled / (0.24 * RATE));
    const double low = log2(10.0), high = log2(20000.0), base = log2(950.0);
    double passed[N], pitch[N], strike[N], x[N], step[N], both[N], ups[N], downs[N];
    for (int i = 0; i < N; i++) {
        if (gate[i] > 0.5 && demo.skip_last <= 0.5) {
            demo.skip_open = uniform(demo.skip_key, demo.skip_draws) < 0.32 ? 1.0 : 0.0;
            demo.skip_draws += 1.0;
        }
        demo.skip_last = gate[i];
        passed[i] = gate[i] > 0.5 ? demo.skip_open : 0.0;
    }
    for (int i = 0; i < N; i++) {
        if ((passed[i] > 0.5 && demo.hold_last <= 0.5) || demo.hold_draws == 0.0) {
            demo.held = 2.0 * uniform(demo.hold_key, demo.hold_draws) - 1.0;
            demo.hold_draws += 1.0;
        }
        demo.hold_last = passed[i];
        pitch[i] = demo.held;
    }
    double slewed = demo.slew_begun ? demo.slewed : pitch[0], level = demo.strike;
    for (int i = 0; i < N; i++) {
        double gap = pitch[i] - slewed;
        slewed += gap * (gap > 0.0 ? up : down);
        pitch[i] = slewed;
    }
    demo.slewed = slewed, demo.slew_begun = 1.0;
    for (int i = 0; i < N; i++) {
        if (passed[i] > 0.5 && demo.strike_last <= 0.5) demo.rising = 1.0;
        demo.strike_last = passed[i];
        if (demo.rising > 0.5) {
            level += (1.3 - level) * rise;
            if (level >= 1.0) level = 1.0, demo.rising = 0.0;
        } else {
            level *= fall;
        }
        strike[i] = level;
    }
    demo.strike = level;
    for (int i = 0; i < N; i++) {
        double note = clamp(74.0 + 9.0 * pitch[i] + 5.0 * strike[i] * strike[i], -24.0, 136.0);
        step[i] = fmin(hertz(note) / RATE, 0.5);
    }
    double at = demo.droplet;
    for (int i = 0; i < N; i++) {
        x[i] = at;
        at += step[i];
        if (at >= 1.0) at -= 1.0;
    }
    demo.droplet = at;
    for (int i = 0; i < N; i++) x[i] = sine(x[i]) * clamp(0.7 * strike[i] * strike[i], 0.0, 1.0);
    for (int i = 0; i < N; i++) {
        Parts p = parts(power2(clamp(base + 2.0 * strike[i] + 1.5 * gusts[i], low, high)));
        both[i] = p.both, ups[i] = p.up, downs[i] = p.down;
    }
    double back = demo.echo_last;
    const double dull = demo.dull;
    Filter pass = demo.drip;
    for (int i = 0; i < N; i++) {
        double damping = damping_of(clamp(0.34 - 0.12 * saturate(back, 2.0), 0.0, 1.0));
        double y = filter_step(&pass, x[i], damping, factors((Parts){both[i], ups[i], downs[i]}, damping), LOW);
        x[i] = back = delay_step(&demo.echo, y, 0.52, dull, 0.42);
    }
    demo.drip = pass;
    demo.echo_last = back;
    leave(x, -8.5, 0.2, out);
}

void run_d(double *out, int quantums)
{
    memset(out, 0, sizeof(double) * 2 * N * quantums);
    for (int q = 0; q < quantums; q++, out += 2 * N) {
        double gate[N], tide[N], gusts[N];
        clock_gate(gate);
        lfo(&demo.tide, 0.02, tide);
        smooth(&demo.gusts, 0.3, gusts);
        turbine(out);
        fog(tide, gusts, out);
        drip(gate, gusts, out);
    }
}
