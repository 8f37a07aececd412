using System.Runtime.Intrinsics;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>
/// Numbers, amounts, lengths of time and days. Most facts of this kind have few different values in a fleet (memory, processors): as long as they have, they
/// are kept by code, an eighth of the room to pass over; after that one number a row, not-a-number where it is not known.
/// </summary>
internal sealed class NumberColumn(FactType type) : Column
{
    /// <summary>A page holds two to the power of this: 32 KiB.</summary>
    private const int PageBits = 12;

    private static readonly double[] NoNumbers = EmptyPage.Of(PageBits, double.NaN);

    private CodedColumn? _few = new();
    private Pages<double> _numbers = new(NoNumbers);

    public override FactLookup Get(int row) =>
        _few is not null ? _few.Get(row)
            : double.IsNaN(_numbers[row])
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
                for (var each = 0; each < few.Room; each++)
                {
                    _numbers[each] = few.Get(each).Value?.Number ?? double.NaN;
                }
            }

            return;
        }

        var number = value.Value?.Number ?? double.NaN;
        if (!number.Equals(_numbers[row]))
        {
            _numbers[row] = number;
        }
    }

    public override RowTest Compile(ConditionNode condition) => new NumberTest(condition, NumberAt);

    public override BlockTest CompileBlocks(ConditionNode condition) => _few is not null ? _few.CompileBlocks(condition) : new Blocks(_numbers, condition);

    public override Column Still(Bitmap complete) => new NumberColumn(type) { _few = (CodedColumn?)_few?.Still(complete), _numbers = _numbers.Still() };

    private double NumberAt(int row) => _few is not null ? _few.Get(row).Value?.Number ?? double.NaN : _numbers[row];

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

    private sealed class Blocks(Pages<double> numbers, ConditionNode condition) : BlockTest
    {
        private readonly double[] _wanted = [.. condition.Values.Select(value => value.Number)];

        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            var comparison = condition.Comparison;
            var isSimple = Vector256.IsHardwareAccelerated
                && comparison is Comparison.Is or Comparison.IsNot or Comparison.Less or Comparison.AtMost or Comparison.More or Comparison.AtLeast;
            for (var at = 0; at < yes.Length; at++)
            {
                var row = (word + at) * 64;
                var (page, start) = (numbers.Page(row >> PageBits), row & ((1 << PageBits) - 1));
                var (isTrue, known) = isSimple ? Fast(page, comparison, start, _wanted[0]) : Slow(page, comparison, start, _wanted);
                yes[at] = comparison == Comparison.IsKnown ? known : isTrue & known;
                open[at] = comparison == Comparison.IsKnown ? 0 : ~known;
            }
        }

        // Every comparison is one of three of "more" and "equal", or the opposite of one; what is not a number is neither, and is taken out by what is known.
        private static (ulong Yes, ulong Known) Fast(double[] numbers, Comparison comparison, int start, double wanted)
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

        private static (ulong Yes, ulong Known) Slow(double[] numbers, Comparison comparison, int start, double[] wanted)
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
