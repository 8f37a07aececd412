export default function Soon() { return null; } export function NewGroupPage() { return null; }
