using Spectre.Console;

namespace Bandejo.Cli;

/// <summary>
/// Prints what happens while something is followed. On a terminal, where it stands is drawn in the last line, in place, below what happened; elsewhere it is a
/// line of its own whenever it is another.
/// </summary>
/// <param name="isQuiet">Only the end is told.</param>
internal sealed class Follows(bool isQuiet) : IDisposable
{
    private readonly bool _isInPlace = !isQuiet && !Console.IsOutputRedirected && Say.Out.Profile.Capabilities.Ansi;
    private string _stands = "";
    private bool _isDrawn;

    /// <summary>Something happened.</summary>
    /// <param name="markup">The line.</param>
    public void Tell(string markup)
    {
        if (isQuiet)
        {
            return;
        }

        Clear();
        Say.Line(markup);
        Draw();
    }

    /// <summary>Where it stands now.</summary>
    /// <param name="picture">In signs, as markup.</param>
    /// <param name="says">In words.</param>
    public void Stands(string name, string picture, string says)
    {
        // One line, whatever the width: it could not be drawn over otherwise.
        var room = Say.Out.Profile.Width - Markup.Remove(picture).Length - 4;
        var line = !_isInPlace ? $"[bold]{Markup.Escape(name)}[/]  {picture}  {Markup.Escape(says)}"
            : room < 8 ? Markup.Escape(says.Length < Say.Out.Profile.Width ? says : says[..(Say.Out.Profile.Width - 2)] + "…")
            : $"{picture}  {Markup.Escape(says.Length <= room ? says : says[..(room - 1)] + "…")}";
        if (isQuiet || line == _stands)
        {
            return;
        }

        _stands = line;
        if (_isInPlace)
        {
            Clear();
            Draw();
        }
        else
        {
            Say.Line(line);
        }
    }

    /// <summary>It ended.</summary>
    public void End(string markup)
    {
        Clear();
        Say.Line(markup);
    }

    // Whatever ends it leaves a whole line, and the terminal as it was.
    public void Dispose() => Clear();

    private void Draw()
    {
        if (_isInPlace)
        {
            Say.Out.Markup(_stands);
            _isDrawn = true;
        }
    }

    private void Clear()
    {
        if (_isDrawn)
        {
            Console.Write("\r\u001b[2K");
            _isDrawn = false;
        }
    }
}
