using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>
/// A part of a rule, ready to be asked of one block of rows after the other. A block is small: what its parts answer is joined before it leaves the
/// processor's nearest memory, and only the rule's own answer is written out.
/// </summary>
/// <remarks>Loops over a whole fleet run too seldom to be compiled anew once they turn out to be busy, so they are compiled well at once.</remarks>
internal abstract class BlockTest
{
    /// <summary>How many words of 64 rows a block has at most.</summary>
    public const int MostWords = 512;

    /// <summary>Writes what is answered for each row of a block, a bit each. What is said of rows that stand for no device counts for nothing.</summary>
    /// <param name="word">The place of the block's first word: its first row divided by 64.</param>
    /// <param name="yes">Where it holds; as long as the block.</param>
    /// <param name="open">Where it is not known; as long.</param>
    public abstract void Mark(int word, Span<ulong> yes, Span<ulong> open);
}

/// <summary>The same answer for all.</summary>
internal sealed class ConstantBlocks(Truth value) : BlockTest
{
    public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
    {
        yes.Fill(value == Truth.True ? ulong.MaxValue : 0);
        open.Fill(value == Truth.NotKnown ? ulong.MaxValue : 0);
    }
}

/// <summary>The opposite; what is not known stays so.</summary>
internal sealed class OppositeBlocks(BlockTest part) : BlockTest
{
    public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
    {
        part.Mark(word, yes, open);
        for (var at = 0; at < yes.Length; at++)
        {
            yes[at] = ~(yes[at] | open[at]);
        }
    }
}

/// <summary>Several parts that must all hold, or of which one must.</summary>
internal sealed class JoinedBlocks(bool isAnd, IReadOnlyList<BlockTest> parts) : BlockTest
{
    private readonly ulong[] _yes = new ulong[MostWords];
    private readonly ulong[] _open = new ulong[MostWords];

    public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
    {
        parts[0].Mark(word, yes, open);
        Span<ulong> partYes = _yes.AsSpan(0, yes.Length), partOpen = _open.AsSpan(0, yes.Length);
        for (var part = 1; part < parts.Count; part++)
        {
            parts[part].Mark(word, partYes, partOpen);
            Join(yes, open, partYes, partOpen);
        }
    }

    // Possible in both, and not certain in both, is not known; possible in either, and certain in neither, likewise.
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private void Join(Span<ulong> yes, Span<ulong> open, ReadOnlySpan<ulong> partYes, ReadOnlySpan<ulong> partOpen)
    {
        var at = 0;
        for (; at <= yes.Length - Vector<ulong>.Count; at += Vector<ulong>.Count)
        {
            Vector<ulong> ours = new(yes[at..]), theirs = new(partYes[at..]), oursOpen = new(open[at..]), theirsOpen = new(partOpen[at..]);
            var (both, either) = (ours & theirs, ours | theirs);
            (isAnd ? (ours | oursOpen) & (theirs | theirsOpen) & ~both : (oursOpen | theirsOpen) & ~either).CopyTo(open[at..]);
            (isAnd ? both : either).CopyTo(yes[at..]);
        }

        for (; at < yes.Length; at++)
        {
            var (both, either) = (yes[at] & partYes[at], yes[at] | partYes[at]);
            open[at] = isAnd ? (yes[at] | open[at]) & (partYes[at] | partOpen[at]) & ~both : (open[at] | partOpen[at]) & ~either;
            yes[at] = isAnd ? both : either;
        }
    }
}

/// <summary>A code for each row, and what is answered for each code.</summary>
internal static class CodeBlocks
{
    /// <summary>A page of bytes holds two to the power of this: just what a block has rows, and 32 KiB.</summary>
    private const int ByteBits = 15;

    /// <summary>The same of numbers.</summary>
    private const int NumberBits = 13;

    private static readonly byte[] NoBytes = EmptyPage.Of<byte>(ByteBits, 0);
    private static readonly int[] NoNumbers = EmptyPage.Of(NumberBits, 0);

    /// <summary>No codes of a byte yet.</summary>
    public static Pages<byte> NewBytes() => new(NoBytes);

    /// <summary>No codes of more than a byte yet.</summary>
    public static Pages<int> NewNumbers() => new(NoNumbers);

    /// <summary>The quickest form for so many answers.</summary>
    public static BlockTest Of(Pages<byte> codes, Truth[] answers) =>
        answers.Length <= Vector128<byte>.Count ? new Few(codes, answers) : new Narrow(codes, answers);

    /// <summary>The same where there are more codes than a byte holds.</summary>
    public static BlockTest Of(Pages<int> codes, Truth[] answers) => new Wide(codes, answers);

    // A block never reaches over the end of a page: both are as long, and blocks begin where pages do.
    private static byte[] BytesOf(Pages<byte> codes, int word) => codes.Page((word * 64) >> ByteBits);

    private static int PlaceOf(int word) => (word * 64) & ((1 << ByteBits) - 1);

    /// <summary>Sixteen answers fit a vector: one instruction looks up those of many rows. The highest bit says true, the one below it not known.</summary>
    private sealed class Few : BlockTest
    {
        private const byte IsTrue = 0x80;
        private const byte NotKnown = 0x40;

        private readonly Pages<byte> _codes;
        private readonly Vector128<byte> _table;

        public Few(Pages<byte> codes, Truth[] answers)
        {
            Span<byte> each = stackalloc byte[Vector128<byte>.Count];
            each.Clear();
            for (var code = 0; code < answers.Length; code++)
            {
                each[code] = answers[code] switch { Truth.True => IsTrue, Truth.NotKnown => NotKnown, _ => 0 };
            }

            (_codes, _table) = (codes, Vector128.Create<byte>(each));
        }

        [MethodImpl(MethodImplOptions.AggressiveOptimization)]
        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            ReadOnlySpan<byte> codes = BytesOf(_codes, word).AsSpan(PlaceOf(word), yes.Length * 64);
            open = open[..yes.Length];
            var twice = Vector256.Create(_table, _table);
            if (Avx512BW.IsSupported)
            {
                var tables = Vector512.Create(twice, twice);
                for (var at = 0; at < yes.Length; at++)
                {
                    var found = Avx512BW.Shuffle(tables, Vector512.Create(codes.Slice(at * 64, 64)));
                    yes[at] = found.ExtractMostSignificantBits();
                    open[at] = (found + found).ExtractMostSignificantBits();
                }
            }
            else if (Avx2.IsSupported)
            {
                for (var at = 0; at < yes.Length; at++)
                {
                    var low = Avx2.Shuffle(twice, Vector256.Create(codes.Slice(at * 64, 32)));
                    var high = Avx2.Shuffle(twice, Vector256.Create(codes.Slice((at * 64) + 32, 32)));
                    yes[at] = low.ExtractMostSignificantBits() | ((ulong)high.ExtractMostSignificantBits() << 32);
                    open[at] = (low + low).ExtractMostSignificantBits() | ((ulong)(high + high).ExtractMostSignificantBits() << 32);
                }
            }
            else
            {
                for (var at = 0; at < yes.Length; at++)
                {
                    (yes[at], open[at]) = (0, 0);
                    for (var bit = 0; bit < 64; bit += Vector128<byte>.Count)
                    {
                        var found = Vector128.ShuffleNative(_table, Vector128.Create(codes.Slice((at * 64) + bit, Vector128<byte>.Count)));
                        yes[at] |= (ulong)found.ExtractMostSignificantBits() << bit;
                        open[at] |= (ulong)(found + found).ExtractMostSignificantBits() << bit;
                    }
                }
            }
        }
    }

    private sealed class Narrow(Pages<byte> pages, Truth[] answers) : BlockTest
    {
        /// <summary>Of more codes than this, looking each up is quicker than comparing with all.</summary>
        private const int MostCompared = 12;

        private readonly byte[] _isTrue = Codes(answers, Truth.True);
        private readonly byte[] _notKnown = Codes(answers, Truth.NotKnown);

        [MethodImpl(MethodImplOptions.AggressiveOptimization)]
        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            var codes = BytesOf(pages, word);
            var isCompared = _isTrue.Length <= MostCompared && _notKnown.Length <= MostCompared && Vector256.IsHardwareAccelerated;
            for (var at = 0; at < yes.Length; at++)
            {
                var start = PlaceOf(word) + (at * 64);
                if (isCompared)
                {
                    var (low, high) = (Vector256.Create(codes, start), Vector256.Create(codes, start + 32));
                    (yes[at], open[at]) = (Among(low, high, _isTrue), Among(low, high, _notKnown));
                    continue;
                }

                (yes[at], open[at]) = LookedUp(codes.AsSpan(start, 64), answers);
            }
        }

        private static ulong Among(Vector256<byte> low, Vector256<byte> high, byte[] wanted)
        {
            Vector256<byte> inLow = default, inHigh = default;
            foreach (var code in wanted)
            {
                var each = Vector256.Create(code);
                inLow |= Vector256.Equals(low, each);
                inHigh |= Vector256.Equals(high, each);
            }

            return inLow.ExtractMostSignificantBits() | ((ulong)inHigh.ExtractMostSignificantBits() << 32);
        }

        private static (ulong Yes, ulong Open) LookedUp(ReadOnlySpan<byte> codes, Truth[] answers)
        {
            ulong yes = 0, open = 0;
            for (var bit = 0; bit < codes.Length; bit++)
            {
                var answer = answers[codes[bit]];
                yes |= (answer == Truth.True ? 1UL : 0) << bit;
                open |= (answer == Truth.NotKnown ? 1UL : 0) << bit;
            }

            return (yes, open);
        }

        private static byte[] Codes(Truth[] answers, Truth truth) =>
            [.. Enumerable.Range(0, answers.Length).Where(code => answers[code] == truth).Select(code => (byte)code)];
    }

    private sealed class Wide(Pages<int> pages, Truth[] answers) : BlockTest
    {
        [MethodImpl(MethodImplOptions.AggressiveOptimization)]
        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            for (var at = 0; at < yes.Length; at++)
            {
                ulong isTrue = 0, notKnown = 0;
                var row = (word + at) * 64;
                var codes = pages.Page(row >> NumberBits).AsSpan(row & ((1 << NumberBits) - 1), 64);
                for (var bit = 0; bit < 64; bit++)
                {
                    var answer = answers[codes[bit]];
                    isTrue |= (answer == Truth.True ? 1UL : 0) << bit;
                    notKnown |= (answer == Truth.NotKnown ? 1UL : 0) << bit;
                }

                (yes[at], open[at]) = (isTrue, notKnown);
            }
        }
    }
}
