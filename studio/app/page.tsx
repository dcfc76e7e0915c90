export default function Page() { return <p>Wet Thread</p>; }
