using System.Runtime.InteropServices;

namespace Bandejo.Agent;

/// <summary>Whoever is signed in at a machine with Windows (wtsapi32.dll).</summary>
internal sealed partial class WindowsUser(string folder) : UserWords(folder)
{
    /// <summary>WTSActive.</summary>
    private const int Active = 0;

    /// <summary>MB_OK with the sign for information, in front of everything.</summary>
    private const uint Style = 0x40 | 0x40000;

    private const string Title = "Bandejo";

    public override bool IsSignedIn => Sessions().Count > 0;

    public override void Tell(string text)
    {
        foreach (var session in Sessions())
        {
            // Sizes in bytes; nobody waits for an answer.
            WTSSendMessage(0, session, Title, (uint)Title.Length * 2, text, (uint)text.Length * 2, Style, 0, out _, isWaiting: false);
        }
    }

    /// <summary>The sessions that somebody works in; the first is the services' own.</summary>
    private static unsafe List<uint> Sessions()
    {
        if (!WTSEnumerateSessions(0, 0, 1, out var found, out var count))
        {
            return [];
        }

        try
        {
            var sessions = new ReadOnlySpan<SessionInfo>(found, (int)count);
            var active = new List<uint>();
            foreach (var session in sessions)
            {
                if (session is { Id: not 0, State: Active })
                {
                    active.Add(session.Id);
                }
            }

            return active;
        }
        finally
        {
            WTSFreeMemory(found);
        }
    }

    [StructLayout(LayoutKind.Sequential)]
    private struct SessionInfo
    {
        public uint Id;
        public nint Name;
        public int State;
    }

    [LibraryImport("wtsapi32.dll", EntryPoint = "WTSEnumerateSessionsW")]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static unsafe partial bool WTSEnumerateSessions(nint server, uint reserved, uint version, out void* sessions, out uint count);

    [LibraryImport("wtsapi32.dll", EntryPoint = "WTSSendMessageW", StringMarshalling = StringMarshalling.Utf16)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool WTSSendMessage(
        nint server, uint session, string title, uint titleLength, string message, uint messageLength, uint style, uint seconds, out uint answer,
        [MarshalAs(UnmanagedType.Bool)] bool isWaiting);

    [LibraryImport("wtsapi32.dll")]
    private static unsafe partial void WTSFreeMemory(void* memory);
}
