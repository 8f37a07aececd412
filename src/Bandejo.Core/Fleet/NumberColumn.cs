using System.Runtime.Intrinsics;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>
/// Numbers, amounts, lengths of time and days. Most facts of this kind have few different values in a fleet (memory, processors): as long as they have, they
/// are kept by code, an eighth of the room to pass over; after that one number a row, not-a-number where it is not known.
/// </summary>
internal sealed class NumberColumn(FactType type) : Column
{
    private CodedColumn? _few = new();
    private double[] _numbers = [];

    public override FactLookup Get(int row) =>
        _few is not null ? _few.Get(row)
            : row >= _numbers.Length || double.IsNaN(_numbers[row])
            ? FactLookup.NotKnown
            : FactLookup.Of(type switch
            {
                FactType.Number => FactValue.OfNumber(_numbers[row]),
                FactType.Size => FactValue.OfSize(_numbers[row]),
                FactType.Duration => FactValue.OfDuration(TimeSpan.FromSeconds(_numbers[row])),
                _ => FactValue.OfDate(DateOnly.FromDayNumber((int)_numbers[row])),
            });

    public override void Set(int row, FactLookup value)
    {
        if (_few is { } few)
        {
            few.Set(row, value);
            if (!few.IsNarrow)
            {
                _few = null;
                Room(few.Room);
                for (var each = 0; each < few.Room; each++)
                {
                    _numbers[each] = few.Get(each).Value?.Number ?? double.NaN;
                }
            }

            return;
        }

        Room(row);
        _numbers[row] = value.Value?.Number ?? double.NaN;
    }

    public override RowTest Compile(ConditionNode condition) => new NumberTest(condition, NumberAt);

    public override BlockTest CompileBlocks(ConditionNode condition, int rows)
    {
        if (_few is not null)
        {
            return _few.CompileBlocks(condition, rows);
        }

        Room(Math.Max(0, rows - 1));
        return new Blocks(_numbers, condition);
    }

    private double NumberAt(int row) =>
        _few is not null ? _few.Get(row).Value?.Number ?? double.NaN
            : row < _numbers.Length ? _numbers[row] : double.NaN;

    /// <summary>Whether a known number fits.</summary>
    internal static bool Holds(Comparison comparison, double number, double[] wanted) => comparison switch
    {
        Comparison.Is => number == wanted[0],
        Comparison.IsNot => number != wanted[0],
        Comparison.Less => number < wanted[0],
        Comparison.AtMost => number <= wanted[0],
        Comparison.More => number > wanted[0],
        Comparison.AtLeast => number >= wanted[0],
        Comparison.In => Array.IndexOf(wanted, number) >= 0,
        Comparison.NotIn => Array.IndexOf(wanted, number) < 0,
        _ => true,
    };

    // Always a whole number of words, so that blocks of 64 rows can be read without looking at the end.
    private void Room(int row)
    {
        if (row >= _numbers.Length)
        {
            var old = _numbers.Length;
            Array.Resize(ref _numbers, (Math.Max(row + 1, old * 2) + 63) & ~63);
            Array.Fill(_numbers, double.NaN, old, _numbers.Length - old);
        }
    }

    private sealed class Blocks(double[] numbers, ConditionNode condition) : BlockTest
    {
        private readonly double[] _wanted = [.. condition.Values.Select(value => value.Number)];

        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            var comparison = condition.Comparison;
            var isSimple = Vector256.IsHardwareAccelerated && comparison is Comparison.Is or Comparison.IsNot or Comparison.Less or Comparison.AtMost or Comparison.More or Comparison.AtLeast;
            for (var at = 0; at < yes.Length; at++)
            {
                var start = (word + at) * 64;
                var (isTrue, known) = isSimple ? Fast(comparison, start, _wanted[0]) : Slow(comparison, start, _wanted);
                yes[at] = comparison == Comparison.IsKnown ? known : isTrue & known;
                open[at] = comparison == Comparison.IsKnown ? 0 : ~known;
            }
        }

        // Every comparison is one of three of "more" and "equal", or the opposite of one; what is not a number is neither, and is taken out by what is known.
        private (ulong Yes, ulong Known) Fast(Comparison comparison, int start, double wanted)
        {
            ulong more = 0, equal = 0, known = 0;
            var right = Vector256.Create(wanted);
            for (var at = 0; at < 64; at += 4)
            {
                var left = Vector256.Create(numbers, start + at);
                more |= (ulong)Vector256.GreaterThan(left, right).ExtractMostSignificantBits() << at;
                equal |= (ulong)Vector256.Equals(left, right).ExtractMostSignificantBits() << at;
                known |= (ulong)Vector256.Equals(left, left).ExtractMostSignificantBits() << at;
            }

            return (comparison switch
            {
                Comparison.Is => equal,
                Comparison.IsNot => ~equal,
                Comparison.Less => ~(more | equal),
                Comparison.AtMost => ~more,
                Comparison.More => more,
                _ => more | equal,
            }, known);
        }

        private (ulong Yes, ulong Known) Slow(Comparison comparison, int start, double[] wanted)
        {
            ulong yes = 0, known = 0;
            for (var bit = 0; bit < 64; bit++)
            {
                var number = numbers[start + bit];
                if (!double.IsNaN(number))
                {
                    known |= 1UL << bit;
                    yes |= (Holds(comparison, number, wanted) ? 1UL : 0) << bit;
                }
            }

            return (yes, known);
        }
    }
}
