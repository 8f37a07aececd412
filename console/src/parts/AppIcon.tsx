import { useState } from "react";

/** The picture of an app; its first letter where it has none. */
export function AppIcon({ app, size }: { app: string; size: number }) {
  const [hasNone, setHasNone] = useState(false);
  if (hasNone) {
    return (
      <span className="app-icon" style={{ width: size, height: size, fontSize: size * 0.5 }} aria-hidden="true">
        {app[0]?.toUpperCase()}
      </span>
    );
  }
  return <img src={`/api/v1/apps/${encodeURIComponent(app)}/icon`} alt="" width={size} height={size} className="app-icon" onError={() => setHasNone(true)} />;
}
